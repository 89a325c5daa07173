import { AxeBuilder } from '@axe-core/playwright';
import { expect, test } from './watched-page.js';

const STAGES = ['plan', 'capture', 'clean', 'register', 'fuse', 'mend', 'texture', 'check', 'deliver'];
/** WCAG 2.2, levels A and AA. */
const RULES = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];

for (const theme of ['light', 'dark']) {
  test(`no main screen has a fault that a machine can find, ${theme}`, async ({ page }) => {
    await page.addInitScript((t) => localStorage.setItem('amber-knit-theme', t), theme);
    const pieces = (await (await page.request.get('/api/pieces')).json()) as { id: string; name: string }[];
    const piece = `/pieces/${pieces.find((p) => p.name === 'Galley jug')!.id}`;
    for (const path of [
      '/',
      piece,
      `${piece}/ledger`,
      `${piece}/guided`,
      '/nothing',
      ...STAGES.map((s) => `${piece}/bench/${s}`),
    ]) {
      await page.goto(path);
      await expect(page.getByRole('navigation', { name: 'Where you are' })).toBeVisible();
      // Lists and forms have arrived once nothing is asked for any more.
      await expect(page.getByText(/^(Opening|Setting up)/)).toHaveCount(0);
      const { violations } = await new AxeBuilder({ page }).withTags(RULES).analyze();
      expect(violations.map((v) => `${path}: ${v.id} at ${v.nodes[0].target.join(' ')}`)).toEqual([]);
    }
  });
}
