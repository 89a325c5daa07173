import { againstNominal, type DimensionSheet } from '@amber-knit/core/dimensions';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { areaText, countText, lengthText, measuredText, shareText } from '@amber-knit/operations/quantity-text';

/** What a report tells: all of it from the ledger and the surface as it stands. */
export interface ReportContent {
  piece: PieceView;
  /** The steps that led to what stands now, in their order. */
  steps: StepView[];
  sheet?: DimensionSheet;
  surface?: SurfaceFacts;
  /** A strip of pictures from all round, PNG. */
  picture?: { bytes: Buffer; views: number };
  version: string;
}

export interface SurfaceFacts {
  /** Width, depth, height, mm. */
  size: number[];
  area: number;
  triangles: number;
  watertight: boolean;
  /** Share of the area that scans measured, and how far such places are expected to lie off, mm (half of them less). */
  measuredRatio: number;
  expectedError?: number;
}

/** A run of words that look alike. */
export interface Span {
  text: string;
  look?: 'strong' | 'muted';
}
/** Lines of a table's cell. */
export type Cell = readonly (readonly Span[])[];

export interface TableColumn {
  head: string;
  /** Share of the width that is left, or as wide as its words. */
  width: number | 'words';
}

/** A report as parts in their order, whatever it is written as. */
export type ReportPart =
  | { kind: 'heading'; text: string }
  | { kind: 'text'; text: string; look?: 'muted' | 'bad' }
  | { kind: 'picture'; bytes: Buffer; alt: string }
  | { kind: 'pairs'; rows: readonly (readonly [string, string])[] }
  | { kind: 'table'; columns: readonly TableColumn[]; rows: readonly (readonly Cell[])[] }
  | { kind: 'signature' };

export interface ReportDocument {
  title: string;
  parts: ReportPart[];
  closing: string;
}

/** What a report says. Reads nothing but what it is given. */
export function reportDocument(content: ReportContent): ReportDocument {
  const { piece, steps, surface, picture, version } = content;
  const last = steps[steps.length - 1];
  const day = last?.finishedAt ? `, ${dayOf(last.finishedAt)}` : '';
  return {
    title: piece.name,
    parts: [
      muted(piece.note || 'Scanned, registered and fused with Amber Knit.'),
      muted(`As it stood after step ${last?.title ?? '–'}${day}. Lengths in millimetres.`),
      ...(picture
        ? [{ kind: 'picture', bytes: picture.bytes, alt: `The piece from ${picture.views} sides` } as const]
        : []),
      ...(surface
        ? inShort(piece, surface)
        : [{ kind: 'text', text: 'There is no surface yet: scans are listed, nothing is measured.' } as const]),
      ...dimensions(content),
      ...(piece.deviation ? reference(steps) : []),
      ...scans(piece),
      ...ledger(steps),
      { kind: 'heading', text: 'Confirmed' },
      { kind: 'signature' },
    ],
    closing: `Amber Knit ${version}. Every figure comes from the ledger of the piece or is measured on its surface as it stands; none is typed in. The steps with their values and seeds, run on the same scans by the same version, give the same surface.`,
  };
}

const muted = (text: string): ReportPart => ({ kind: 'text', text, look: 'muted' });
const plain = (text: string | number): Cell => [[{ text: String(text) }]];

function inShort(piece: PieceView, s: SurfaceFacts): ReportPart[] {
  const registered = piece.scanList.filter((x) => x.placement.state === 'registered');
  const worst = Math.max(...registered.map((x) => x.placement.residual ?? 0), 0);
  const rows: [string, string][] = [
    ['Width, depth, height', s.size.map((v) => lengthText(v)).join(' × ')],
    ['Surface', `${areaText(s.area)}, ${countText(s.triangles)} triangles, ${s.watertight ? 'closed' : 'not closed'}`],
    ['Measured by scans', `${shareText(s.measuredRatio)} of the surface; the rest was filled in`],
  ];
  if (s.expectedError !== undefined)
    rows.push([
      'Expected error',
      `${lengthText(s.expectedError)} (one standard deviation, half of the measured surface lies below)`,
    ]);
  rows.push([
    'Scans',
    `${registered.length} of ${piece.scanList.length} registered${worst > 0 ? `, none further than ${lengthText(worst)} from its neighbours (RMS)` : ''}`,
  ]);
  if (piece.doubts.length > 0) rows.push(['In doubt', `${piece.doubts.length} places are not certain`]);
  return [
    { kind: 'heading', text: 'In short' },
    { kind: 'pairs', rows },
  ];
}

function dimensions({ sheet, piece }: ReportContent): ReportPart[] {
  if (!sheet || sheet.asked.length === 0) return [];
  const rows = sheet.asked.map((asked, i): Cell[] => {
    const { values, fault, inventedRatio, shapes } = sheet.found[i];
    const figures: Cell = fault
      ? plain(fault)
      : values.map((v) => [{ text: `${v.label} ` }, { text: measuredText(v), look: 'strong' }]);
    const off = againstNominal(asked, sheet.found[i]);
    const remarks = [
      ...(off
        ? [
            `should be ${lengthText(asked.nominal)}: ${lengthText(Math.abs(off.difference))} ${off.difference >= 0 ? 'more' : 'less'}`,
          ]
        : []),
      ...(shapes ? [shapes.join(' to ')] : []),
      ...(asked.note ? [asked.note] : []),
      ...(inventedRatio > 0 ? ['rests on surface that no scan measured'] : []),
    ];
    return [plain(i + 1), plain(asked.name), figures, plain(remarks.join('; '))];
  });
  return [
    { kind: 'heading', text: 'Dimensions' },
    ...(piece.dimensionsFresh
      ? []
      : [{ kind: 'text', text: 'The surface has changed since these were measured.', look: 'bad' } as const]),
    {
      kind: 'table',
      columns: [
        { head: 'No.', width: 'words' },
        { head: 'Name', width: 2 },
        { head: 'Measured', width: 3 },
        { head: 'Remarks', width: 3 },
      ],
      rows,
    },
    muted(
      '± is twice the standard uncertainty: the truth is expected within it in 95 of 100 cases. It covers scatter and the errors expected of the scans, not the scanner’s calibration.',
    ),
  ];
}

/** The newest comparison. */
function reference(steps: readonly StepView[]): ReportPart[] {
  const compared = steps.filter((s) => s.outputs.length > 0 && s.stage === 'check' && s.sourceName).pop();
  if (!compared) return [];
  const rows = compared.figureList.map((f): [string, string] => [
    f.label,
    f.verdict ? `${f.text} (${f.verdict.word})` : f.text,
  ]);
  return [
    { kind: 'heading', text: `Against ${compared.sourceName!}` },
    { kind: 'pairs', rows },
  ];
}

function scans(piece: PieceView): ReportPart[] {
  if (piece.scanList.length === 0) return [];
  const rows = piece.scanList.map(({ name, setup, cloud, placement, frames }) =>
    [
      name,
      setup,
      countText(Number(cloud.facts.points ?? 0)),
      frames > 0 ? countText(frames) : '–',
      cloud.facts.noise === undefined ? '–' : lengthText(Number(cloud.facts.noise)),
      placement.state,
      lengthText(placement.residual),
    ].map(plain),
  );
  const words = (head: string): TableColumn => ({ head, width: 'words' });
  return [
    { kind: 'heading', text: 'Scans' },
    {
      kind: 'table',
      columns: [
        { head: 'Scan', width: 2 },
        { head: 'Setup', width: 1 },
        words('Points'),
        words('Frames'),
        words('Noise'),
        words('State'),
        words('Residual'),
      ],
      rows,
    },
  ];
}

function ledger(steps: readonly StepView[]): ReportPart[] {
  const rows = steps.map((s, i): Cell[] => [
    plain(i + 1),
    [
      [{ text: s.title }],
      [{ text: `version ${s.version}, seed ${s.seed}${s.by ? `, by ${s.by}` : ''}`, look: 'muted' }],
    ],
    [
      [{ text: `${s.sourceName ? `From ${s.sourceName}. ` : ''}${s.summary ?? ''}` }],
      [{ text: s.paramList.map((p) => `${p.label}: ${p.text}`).join('; '), look: 'muted' }],
    ],
  ]);
  return [
    { kind: 'heading', text: 'How it was made' },
    {
      kind: 'table',
      columns: [
        { head: 'No.', width: 'words' },
        { head: 'Step', width: 2 },
        { head: 'Result and values', width: 5 },
      ],
      rows,
    },
  ];
}

/** A date without the hour, the same everywhere. */
const dayOf = (iso: string): string => iso.slice(0, 10);
