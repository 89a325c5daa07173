import { expect, test, type Browser, type Page } from '@playwright/test';
import { WorkshopServer } from './workshop-server.js';

/** A workshop where everybody has an account: coming in, roles, whose pieces are whose, and a session that ends. */

const WORDS = 'three short words';
const ADMINISTRATOR = `Ada ${Date.now().toString(36)}`;
let server: WorkshopServer;

test.beforeAll(async () => {
  server = await WorkshopServer.start(ADMINISTRATOR, WORDS);
});
test.afterAll(() => server.stop());

async function signIn(page: Page, name: string, password = WORDS): Promise<void> {
  await page.getByLabel('Name', { exact: true }).fill(name);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
}

/** Makes an account by a link, in a browser of its own. */
async function join(browser: Browser, admin: Page, name: string, role: string): Promise<Page> {
  await admin.getByLabel('They come in as').selectOption(role);
  await admin.getByRole('button', { name: 'Make a link' }).click();
  const link = admin.getByLabel(/Link to hand over/);
  await expect(link).toHaveValue(/\/invitation\/[\w-]{32}$/);
  const page = await (await browser.newContext()).newPage();
  await page.goto(await link.inputValue());
  await page.getByLabel('What others call you').fill(name);
  await page.getByLabel(/^Password/).fill(WORDS);
  await page.getByRole('button', { name: 'Come in' }).click();
  await expect(page.getByRole('heading', { name: 'Shelf' })).toBeVisible();
  // The link is used up, and gone from the list.
  await admin.reload();
  await expect(admin.getByRole('rowheader', { name })).toBeVisible();
  await expect(admin.getByRole('button', { name: 'Take the link back' })).toHaveCount(0);
  return page;
}

test('people are invited, sign in, do what their role allows, and go on after their session has ended', async ({
  browser,
}) => {
  const admin = await (await browser.newContext()).newPage();
  // A deep link opens once one is signed in.
  await admin.goto(`${server.base}/people`);
  await signIn(admin, ADMINISTRATOR, 'a wrong one');
  await expect(admin.getByRole('alert')).toContainText('Name and password do not go together');
  await signIn(admin, ADMINISTRATOR);
  await expect(admin.getByRole('heading', { name: 'People' })).toBeVisible();
  const [tomName, rosaName] = [`Tom ${ADMINISTRATOR.slice(4)}`, `Rosa ${ADMINISTRATOR.slice(4)}`];
  const tom = await join(browser, admin, tomName, 'technician');
  const rosa = await join(browser, admin, rosaName, 'reviewer');

  // A technician makes a piece and keeps it.
  const piece = `Bowl of ${tomName}`;
  await tom.getByRole('button', { name: 'New piece' }).click();
  await tom.getByLabel('Name', { exact: true }).fill(piece);
  await tom.getByRole('button', { name: 'Make it' }).click();
  await expect(tom.getByRole('button', { name: /Signed in as/ })).toBeVisible();
  await tom.goto(server.base);
  await tom.getByRole('button', { name: `More for ${piece}` }).click();
  await tom.getByRole('menuitem', { name: /Whose it is/ }).click();
  await tom.getByLabel('It belongs to').selectOption(tomName);
  await tom.getByRole('button', { name: 'Give it' }).click();
  await expect(tom.getByRole('heading', { name: `${piece} · ${tomName}` })).toBeVisible();

  // A reviewer looks, without any way to begin something.
  await expect(rosa.getByRole('link', { name: new RegExp(piece) })).toBeVisible();
  await expect(rosa.getByRole('button', { name: 'New piece' })).toHaveCount(0);
  await rosa.getByRole('link', { name: new RegExp(piece) }).click();
  await rosa.getByRole('button', { name: 'Open the bench' }).click();
  await expect(rosa.getByText('Only looking.')).toBeVisible();
  await expect(rosa.getByRole('button', { name: 'Undo' })).toBeDisabled();

  // What she remarks, and that she is here, is seen by whoever works on it.
  await rosa.getByRole('button', { name: 'Remarks: 0' }).click();
  await rosa.getByLabel('Remark', { exact: true }).fill('Which way is up?');
  await rosa.getByRole('button', { name: 'Remark', exact: true }).click();
  await expect(rosa.getByRole('listitem').filter({ hasText: 'Which way is up?' })).toBeVisible();
  await tom.getByRole('link', { name: new RegExp(piece) }).click();
  await tom.getByRole('button', { name: 'Open the bench' }).click();
  await expect(tom.getByRole('status').filter({ hasText: `${rosaName} at` })).toBeVisible();
  await tom.getByRole('button', { name: 'Remarks: 1' }).click();
  await tom.getByRole('listitem').filter({ hasText: rosaName }).getByRole('button', { name: 'Done' }).click();
  await expect(rosa.getByRole('list', { name: 'Remarks' })).toContainText(`done by ${tomName}`);
  await tom.getByRole('link', { name: 'Shelf' }).click();

  // Signed out from elsewhere, the page stays as it was behind the question.
  await tom.getByRole('button', { name: 'New piece' }).click();
  await tom.getByLabel('Name', { exact: true }).fill('Half done');
  const elsewhere = await (await browser.newContext()).newPage();
  await elsewhere.goto(server.base);
  await signIn(elsewhere, tomName);
  await elsewhere.getByRole('button', { name: /Signed in as/ }).click();
  await elsewhere.getByRole('menuitem', { name: 'Sign out everywhere' }).click();
  await expect(elsewhere.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await expect(tom.getByRole('heading', { name: 'Sign in to go on' })).toBeVisible();
  const question = tom.getByRole('dialog').filter({ hasText: 'Sign in to go on' });
  await question.getByLabel('Password').fill(WORDS);
  await question.getByRole('button', { name: 'Sign in' }).click();
  await expect(question).toHaveCount(0);
  await expect(tom.getByLabel('Name', { exact: true })).toHaveValue('Half done');
  await tom.getByRole('button', { name: 'Make it' }).click();
  await expect(tom.getByRole('link', { name: 'Half done' })).toBeVisible();

  // An account that is ended is out at once.
  const row = admin.getByRole('row').filter({ has: admin.getByRole('rowheader', { name: tomName }) });
  await row.getByRole('button', { name: 'End …' }).click();
  await admin.getByRole('button', { name: 'End it' }).click();
  await expect(row.getByRole('button', { name: 'Open again' })).toBeVisible();
  await tom.goto(server.base);
  await expect(tom.getByRole('heading', { name: 'Sign in', exact: true })).toBeVisible();
  await signIn(tom, tomName);
  await expect(tom.getByRole('alert')).toBeVisible();
});
