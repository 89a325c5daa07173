import type { HelpView } from '@amber-knit/contracts';
import { STAGES } from '@amber-knit/operations';
import { Harness } from '../../test/harness.js';

let harness: Harness;

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('help');
});

afterAll(() => harness.app.close());

test('every stage has its page, with mistakes and what an expert looks at, and its picture', async () => {
  for (const stage of STAGES) {
    const { body } = await harness.http().get(`/api/help/${stage}`).expect(200);
    const { markdown } = body as HelpView;
    const headings = [...markdown.matchAll(/^## (.*)$/gm)].map(([, h]) => h);
    expect([stage, headings]).toEqual([stage, ['Common mistakes', 'What an expert looks at']]);
    // Three sentences first.
    expect([stage, markdown.split('\n')[0].match(/[.](\s|$)/g)?.length]).toEqual([stage, 3]);
    const picture = await harness
      .http()
      .get(`/api/help/${stage}/picture`)
      .expect(200)
      .expect('content-type', 'image/png');
    expect((picture.body as Buffer).subarray(1, 4).toString()).toBe('PNG');
  }
});

test('what is no stage has none', async () => {
  for (const wrong of ['elsewhere', '..%2F..%2FREADME', 'constructor'])
    expect([wrong, (await harness.http().get(`/api/help/${wrong}`)).status >= 400]).toEqual([wrong, true]);
});
