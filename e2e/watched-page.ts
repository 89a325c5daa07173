import { test as plain } from '@playwright/test';

export { expect, type Locator, type Page } from '@playwright/test';

/** A test whose pages must not throw, nor ask for what their own content policy forbids. */
export const test = plain.extend<{ watched: void }>({
  watched: [
    async ({ context }, use) => {
      const complaints: string[] = [];
      context.on('weberror', (e) => complaints.push(`thrown: ${e.error().stack ?? e.error().message}`));
      context.on('console', (m) => {
        if (/content security policy/i.test(m.text())) complaints.push(m.text());
      });
      await use();
      plain.expect(complaints).toEqual([]);
    },
    { auto: true },
  ],
});
