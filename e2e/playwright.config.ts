import { defineConfig } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';

/** Debian's Chromium with WebGL by software; the server's address comes from ./test. */
export default defineConfig({
  testDir: '.',
  // Generous: nothing may fail because the machine is busy with other work.
  timeout: 900_000,
  expect: { timeout: 120_000 },
  workers: 1,
  use: {
    baseURL: process.env.BASE_URL ?? 'http://127.0.0.1:4780',
    viewport: { width: 1280, height: 800 },
    screenshot: 'only-on-failure',
    launchOptions: browserOptions,
  },
});
