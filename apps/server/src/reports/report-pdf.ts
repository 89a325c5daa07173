import pdfmake from 'pdfmake';
import type { Column, Content, ContentText, TableCell } from 'pdfmake/interfaces.js';
import { PLEX_FONTS, plexRuns } from './plex-runs.js';
import type { Cell, ReportDocument, ReportPart, Span } from './report-document.js';

/** A4 in points, and its margins. */
const MARGIN = 48;
const INNER_WIDTH = 595.28 - 2 * MARGIN;
const INK = '#26221c';
const MUTED = '#6e6557';
const BAD = '#a33a2a';
const LINE = '#e4dccd';

pdfmake.setFonts(PLEX_FONTS);
// Nothing is ever fetched; of this machine only the fonts are read.
pdfmake.setUrlAccessPolicy(() => false);
pdfmake.setLocalAccessPolicy((path) => Object.values(PLEX_FONTS).some((f) => path === f.normal || path === f.bold));

/** A report as PDF, A4, with page numbers. */
export function reportPdf({ title, parts, closing }: ReportDocument): Promise<Buffer> {
  return pdfmake
    .createPdf({
      pageSize: 'A4',
      pageMargins: [MARGIN, MARGIN, MARGIN, MARGIN + 12],
      info: { title: `Report: ${title}`, creator: 'Amber Knit' },
      defaultStyle: { font: 'latin', fontSize: 9.5, lineHeight: 1.2, color: INK },
      content: [
        { text: runs(title), fontSize: 20, bold: true, margin: [0, 0, 0, 4] },
        ...parts.map(partContent),
        { text: runs(closing), color: MUTED, fontSize: 8.5, margin: [0, 24, 0, 0] },
      ],
      footer: (page, pages) => ({
        text: [...runs(title), { text: `, page ${page} of ${pages}` }],
        color: MUTED,
        fontSize: 8,
        margin: [MARGIN, 8, MARGIN, 0],
      }),
    })
    .getBuffer();
}

const runs = (text: string): { text: string; font: string }[] => plexRuns(text);

function partContent(part: ReportPart): Content {
  switch (part.kind) {
    case 'heading':
      return {
        stack: [
          { text: runs(part.text), fontSize: 13, bold: true, margin: [0, 14, 0, 2] },
          { canvas: [{ type: 'line', x1: 0, y1: 0, x2: INNER_WIDTH, y2: 0, lineColor: LINE }] },
        ],
        margin: [0, 0, 0, 4],
        headlineLevel: 1,
      };
    case 'text':
      return {
        text: runs(part.text),
        margin: [0, 1, 0, 1],
        ...(part.look ? { color: part.look === 'bad' ? BAD : MUTED, bold: part.look === 'bad' } : {}),
      };
    case 'picture':
      return {
        image: `data:image/png;base64,${part.bytes.toString('base64')}`,
        width: INNER_WIDTH,
        margin: [0, 8, 0, 4],
      };
    case 'pairs':
      return {
        layout: 'noBorders',
        table: {
          widths: ['auto', '*'],
          dontBreakRows: true,
          body: part.rows.map(([k, v]) => [{ text: runs(k), color: MUTED }, { text: runs(v) }]),
        },
      };
    case 'table': {
      const shares = part.columns.reduce((sum, { width }) => sum + (width === 'words' ? 0 : width), 0);
      const fixed = part.columns.filter(({ width }) => width === 'words').length * WORDS_WIDTH;
      // The last of them takes what the columns of few words leave.
      const last = part.columns.findLastIndex(({ width }) => width !== 'words');
      const widths = part.columns.map(({ width }, i) =>
        width === 'words' ? 'auto' : i === last ? '*' : ((INNER_WIDTH - fixed) * width) / shares - CELL_GAP,
      );
      const head = part.columns.map((c): TableCell => ({ text: runs(c.head), bold: true }));
      return {
        layout: { ...RULED },
        table: {
          widths,
          headerRows: 1,
          dontBreakRows: true,
          body: [
            head,
            ...part.rows.map((row) => row.map((cell, i) => cellContent(cell, part.columns[i].width === 'words'))),
          ],
        },
      };
    }
    case 'signature':
      return {
        unbreakable: true,
        columnGap: 20,
        margin: [0, 40, 0, 0],
        columns: [signatureLine('Name', 2), signatureLine('Date', 1), signatureLine('Signature', 2)],
      };
  }
}

/** About how wide a column of few words is, and what lies between two. */
const WORDS_WIDTH = 46;
const CELL_GAP = 8;

const RULED = {
  hLineWidth: (i: number): number => (i === 0 ? 0 : 0.5),
  vLineWidth: (): number => 0,
  hLineColor: (): string => LINE,
  paddingLeft: (): number => 0,
  paddingRight: (): number => CELL_GAP,
};

const cellContent = (cell: Cell, noWrap: boolean): TableCell => ({
  stack: cell.map((line) => ({ text: line.flatMap(spanRuns), noWrap })),
});

const spanRuns = ({ text, look }: Span): ContentText[] =>
  runs(text).map((run) => ({
    ...run,
    ...(look === 'strong' ? { bold: true } : look ? { color: MUTED, fontSize: 8.5 } : {}),
  }));

function signatureLine(text: string, share: number): Column {
  const width = ((INNER_WIDTH - 40) * share) / 5;
  return {
    width,
    stack: [
      { canvas: [{ type: 'line', x1: 0, y1: 0, x2: width, y2: 0, lineColor: INK, lineWidth: 0.5 }] },
      { text, color: MUTED, margin: [0, 2, 0, 0] },
    ],
  };
}
