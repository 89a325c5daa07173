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

const MARKS: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };
const text = (value: string | number): string => String(value).replace(/[&<>"']/g, (c) => MARKS[c]);

/** A report as one page that needs nothing else: read in a browser, printed or kept as PDF from there. */
export function reportHtml(content: ReportContent): string {
  const { piece, steps, surface, picture, version } = content;
  const title = `Report: ${piece.name}`;
  const last = steps[steps.length - 1]?.finishedAt;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${text(title)}</title>
<style>${STYLE}</style>
</head>
<body>
<main>
<header>
<h1>${text(piece.name)}</h1>
<p class="muted">${text(piece.note || 'Scanned, registered and fused with Amber Knit.')}</p>
<p class="muted">As it stood after step ${steps.length > 0 ? steps[steps.length - 1].title : '–'}${last ? `, ${text(dayOf(last))}` : ''}. Lengths in millimetres.</p>
</header>
${picture ? `<img alt="The piece from ${picture.views} sides" src="data:image/png;base64,${picture.bytes.toString('base64')}">` : ''}
${surface ? inShort(piece, surface) : '<p>There is no surface yet: scans are listed, nothing is measured.</p>'}
${dimensions(content)}
${piece.deviation ? reference(steps) : ''}
${scans(piece)}
${ledger(steps)}
<section class="sign"><h2>Confirmed</h2><div><span>Name</span><span>Date</span><span>Signature</span></div></section>
<footer class="muted">Amber Knit ${text(version)}. Every figure comes from the ledger of the piece or is measured on its surface as it stands; none is typed in. The steps with their values and seeds, run on the same scans by the same version, give the same surface.</footer>
</main>
</body>
</html>
`;
}

function inShort(piece: PieceView, s: SurfaceFacts): string {
  const registered = piece.scanList.filter((x) => x.placement.state === 'registered');
  const worst = Math.max(...registered.map((x) => x.placement.residual ?? 0), 0);
  const rows: [string, string][] = [
    ['Width, depth, height', s.size.map((v) => lengthText(v)).join(' × ')],
    ['Surface', `${areaText(s.area)}, ${countText(s.triangles)} triangles, ${s.watertight ? 'closed' : 'not closed'}`],
    ['Measured by scans', `${shareText(s.measuredRatio)} of the surface; the rest was filled in`],
    ...(s.expectedError === undefined
      ? []
      : [
          [
            'Expected error',
            `${lengthText(s.expectedError)} (one standard deviation, half of the measured surface lies below)`,
          ] as [string, string],
        ]),
    [
      'Scans',
      `${registered.length} of ${piece.scanList.length} registered${worst > 0 ? `, none further than ${lengthText(worst)} from its neighbours (RMS)` : ''}`,
    ],
    ...(piece.doubts.length > 0
      ? [['In doubt', `${piece.doubts.length} places are not certain`] as [string, string]]
      : []),
  ];
  return `<section><h2>In short</h2>${pairs(rows)}</section>`;
}

function dimensions({ sheet, piece }: ReportContent): string {
  if (!sheet || sheet.asked.length === 0) return '';
  const rows = sheet.asked.map((asked, i) => {
    const { values, fault, inventedRatio, shapes } = sheet.found[i];
    const figures = fault
      ? text(fault)
      : values.map((v) => `${text(v.label)} <b>${text(measuredText(v))}</b>`).join('<br>');
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
    return `<tr><td>${i + 1}</td><td>${text(asked.name)}</td><td>${figures}</td><td>${remarks.map(text).join('; ')}</td></tr>`;
  });
  const stale = piece.dimensionsFresh ? '' : '<p class="bad">The surface has changed since these were measured.</p>';
  return `<section><h2>Dimensions</h2>${stale}<table><thead><tr><th>No.</th><th>Name</th><th>Measured</th><th>Remarks</th></tr></thead><tbody>${rows.join('')}</tbody></table><p class="muted">± is twice the standard uncertainty: the truth is expected within it in 95 of 100 cases. It covers scatter and the errors expected of the scans, not the scanner’s calibration.</p></section>`;
}

/** The newest comparison. */
function reference(steps: readonly StepView[]): string {
  const compared = steps.filter((s) => s.outputs.length > 0 && s.stage === 'check' && s.sourceName).pop();
  if (!compared) return '';
  const rows = compared.figureList.map((f): [string, string] => [
    f.label,
    f.verdict ? `${f.text} (${f.verdict.word})` : f.text,
  ]);
  return `<section><h2>Against ${text(compared.sourceName!)}</h2>${pairs(rows)}</section>`;
}

function scans(piece: PieceView): string {
  if (piece.scanList.length === 0) return '';
  const rows = piece.scanList.map(({ name, setup, cloud, placement, frames }) => {
    const cells = [
      name,
      setup,
      countText(Number(cloud.facts.points ?? 0)),
      frames > 0 ? countText(frames) : '–',
      cloud.facts.noise === undefined ? '–' : lengthText(Number(cloud.facts.noise)),
      placement.state,
      lengthText(placement.residual),
    ];
    return `<tr>${cells.map((c) => `<td>${text(c)}</td>`).join('')}</tr>`;
  });
  return `<section><h2>Scans</h2><table><thead><tr><th>Scan</th><th>Setup</th><th>Points</th><th>Frames</th><th>Noise</th><th>State</th><th>Residual</th></tr></thead><tbody>${rows.join('')}</tbody></table></section>`;
}

function ledger(steps: readonly StepView[]): string {
  const rows = steps.map((s, i) => {
    const values = s.paramList.map((p) => `${text(p.label)}: ${text(p.text)}`).join('; ');
    const from = s.sourceName ? `From ${text(s.sourceName)}. ` : '';
    return `<tr><td>${i + 1}</td><td>${text(s.title)}<br><span class="muted">version ${s.version}, seed ${s.seed}${s.by ? `, by ${text(s.by)}` : ''}</span></td><td>${from}${text(s.summary ?? '')}<br><span class="muted">${values}</span></td></tr>`;
  });
  return `<section><h2>How it was made</h2><table><thead><tr><th>No.</th><th>Step</th><th>Result and values</th></tr></thead><tbody>${rows.join('')}</tbody></table></section>`;
}

const pairs = (rows: readonly [string, string][]): string =>
  `<dl>${rows.map(([k, v]) => `<dt>${text(k)}</dt><dd>${text(v)}</dd>`).join('')}</dl>`;

/** A date without the hour, the same everywhere. */
const dayOf = (iso: string): string => iso.slice(0, 10);

const STYLE = `
:root { color-scheme: light; }
body { margin: 0; background: #faf6ef; color: #26221c; font: 15px/1.5 'IBM Plex Sans', system-ui, sans-serif; }
main { max-width: 60rem; margin: 0 auto; padding: 2rem 1.5rem 4rem; background: #fffdf9; }
h1 { margin: 0; font-size: 1.9rem; } h2 { margin: 2rem 0 .5rem; font-size: 1.15rem; border-bottom: 1px solid #e4dccd; }
img { width: 100%; margin: 1rem 0; border-radius: 8px; }
.muted { color: #6e6557; } .bad { color: #a33a2a; font-weight: 600; } p { margin: .3rem 0; }
dl { display: grid; grid-template-columns: max-content 1fr; gap: .2rem 1.2rem; margin: 0; } dt { color: #6e6557; } dd { margin: 0; }
table { width: 100%; border-collapse: collapse; } th { text-align: left; font-weight: 600; }
th, td { padding: .3rem .6rem .3rem 0; border-bottom: 1px solid #e4dccd; vertical-align: top; overflow-wrap: anywhere; }
td, dd { font-variant-numeric: tabular-nums; }
.sign div { display: grid; grid-template-columns: 2fr 1fr 2fr; gap: 2rem; margin-top: 3rem; } .sign span { border-top: 1px solid #26221c; padding-top: .2rem; color: #6e6557; }
footer { margin-top: 2.5rem; font-size: .9rem; }
@media print { body, main { background: #fff; } main { padding: 0; max-width: none; } tr, dl, .sign { break-inside: avoid; } }
`;
