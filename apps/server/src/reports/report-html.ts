import type { Cell, ReportDocument, ReportPart, Span } from './report-document.js';

const MARKS: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };
const text = (value: string): string => value.replace(/[&<>"']/g, (c) => MARKS[c]);

/** A report as one page that needs nothing else. */
export function reportHtml({ title, parts, closing }: ReportDocument): string {
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${text(`Report: ${title}`)}</title>
<style>${STYLE}</style>
</head>
<body>
<main>
<h1>${text(title)}</h1>
${parts.map(partHtml).join('\n')}
<footer class="muted">${text(closing)}</footer>
</main>
</body>
</html>
`;
}

function partHtml(part: ReportPart): string {
  switch (part.kind) {
    case 'heading':
      return `<h2>${text(part.text)}</h2>`;
    case 'text':
      return `<p${part.look ? ` class="${part.look}"` : ''}>${text(part.text)}</p>`;
    case 'picture':
      return `<img alt="${text(part.alt)}" src="data:image/png;base64,${part.bytes.toString('base64')}">`;
    case 'pairs':
      return `<dl>${part.rows.map(([k, v]) => `<dt>${text(k)}</dt><dd>${text(v)}</dd>`).join('')}</dl>`;
    case 'table': {
      const head = part.columns.map((c) => `<th>${text(c.head)}</th>`).join('');
      const rows = part.rows.map((row) => `<tr>${row.map((cell) => `<td>${cellHtml(cell)}</td>`).join('')}</tr>`);
      return `<table><thead><tr>${head}</tr></thead><tbody>${rows.join('')}</tbody></table>`;
    }
    case 'signature':
      return '<div class="sign"><span>Name</span><span>Date</span><span>Signature</span></div>';
  }
}

const cellHtml = (cell: Cell): string => cell.map((line) => line.map(spanHtml).join('')).join('<br>');

const spanHtml = ({ text: words, look }: Span): string =>
  look === 'strong' ? `<b>${text(words)}</b>` : look ? `<span class="${look}">${text(words)}</span>` : text(words);

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
.sign { display: grid; grid-template-columns: 2fr 1fr 2fr; gap: 2rem; margin-top: 3rem; } .sign span { border-top: 1px solid #26221c; padding-top: .2rem; color: #6e6557; }
footer { margin-top: 2.5rem; font-size: .9rem; }
@media print { body, main { background: #fff; } main { padding: 0; max-width: none; } tr, dl, .sign { break-inside: avoid; } }
`;
