import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs';
import { plexRuns } from './plex-runs.js';
import type { ReportDocument } from './report-document.js';
import { reportPdf } from './report-pdf.js';

/** Text of each page, as an independent reader finds it (pdfjs-dist). */
async function pagesOf(document: ReportDocument): Promise<{ title: unknown; pages: string[] }> {
  const pdf = await getDocument({
    data: new Uint8Array(await reportPdf(document)),
    useSystemFonts: false,
    verbosity: 0,
  }).promise;
  const { info } = await pdf.getMetadata();
  const pages: string[] = [];
  for (let i = 1; i <= pdf.numPages; i++) {
    const { items } = await (await pdf.getPage(i)).getTextContent();
    pages.push(items.map((item) => ('str' in item ? item.str : '')).join(' '));
  }
  return { title: (info as { Title: unknown }).Title, pages };
}

const ROWS = Array.from({ length: 90 }, (_, i) => [
  [[{ text: String(i + 1) }]],
  [[{ text: `Step ${i + 1}` }], [{ text: 'version 1', look: 'muted' as const }]],
  [[{ text: 'Diameter ' }, { text: '40.02 ± 0.03 mm', look: 'strong' as const }]],
]);
const REPORT: ReportDocument = {
  title: 'Krug für Ωμέγα & <Łódź>',
  parts: [
    { kind: 'text', text: 'Ключ — note', look: 'muted' },
    { kind: 'heading', text: 'In short' },
    { kind: 'pairs', rows: [['Surface', '12.5 cm², closed']] },
    {
      kind: 'table',
      columns: [
        { head: 'No.', width: 'words' },
        { head: 'Step', width: 2 },
        { head: 'Result and values', width: 5 },
      ],
      rows: ROWS,
    },
    { kind: 'signature' },
  ],
  closing: 'None is typed in.',
};

test('a report as PDF holds all its words, its table’s head on every page, and says which page of how many', async () => {
  const { title, pages } = await pagesOf(REPORT);
  expect(title).toBe('Report: Krug für Ωμέγα & <Łódź>');
  expect(pages.length).toBeGreaterThan(2);
  const all = pages.join(' ').replace(/\s+/g, ' ');
  for (const words of [
    'Ωμέγα',
    'Łódź',
    'Ключ',
    '12.5 cm², closed',
    '40.02 ± 0.03 mm',
    'Signature',
    'None is typed in.',
  ])
    expect(all.replace(/ /g, '')).toContain(words.replace(/ /g, ''));
  pages.forEach((page, i) => expect(page.replace(/ /g, '')).toContain(`page${i + 1}of${pages.length}`));
  expect(pages.slice(0, -1).every((p) => p.includes('Result and values'))).toBe(true);
  ROWS.forEach((_, i) => expect(all).toContain(`Step ${i + 1} `));
});

test('a name in scripts that no font has is marked, and the report is written all the same', async () => {
  expect(plexRuns('a壺b')).toEqual([{ text: 'a\uFFFDb', font: 'latin' }]);
  expect(plexRuns('Krug Ωμ')).toEqual([
    { text: 'Krug ', font: 'latin' },
    { text: 'Ωμ', font: 'greek' },
  ]);
  const { pages } = await pagesOf({ title: '壺 👺', parts: [], closing: '' });
  expect(pages).toHaveLength(1);
});

test('what looks like a file or an address in a name fetches nothing', async () => {
  const { pages } = await pagesOf({
    title: 'file:///etc/hostname',
    parts: [{ kind: 'text', text: 'https://example.org/a.png {"image": "/etc/hostname"}' }],
    closing: '',
  });
  expect(pages.join(' ')).toContain('https://example.org/a.png');
});
