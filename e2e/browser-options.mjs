/** Debian's Chromium, headless, with WebGL by software. */
export const browserOptions = {
  executablePath: '/usr/bin/chromium',
  args: [
    '--headless',
    '--no-sandbox',
    '--use-angle=swiftshader',
    // WebGL by software, but the page itself is put together without it: that costs a third of a core otherwise.
    '--disable-gpu-compositing',
    '--enable-unsafe-swiftshader',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--disable-quic',
    '--no-first-run',
  ],
};
