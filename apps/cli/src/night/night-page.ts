import type { NightResult, NightState } from './night-result.js';

const MARKS: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };
const text = (value: string | number): string => String(value).replace(/[&<>"']/g, (c) => MARKS[c]);
const HEADS: Record<NightState, string> = {
  failed: 'Failed',
  look: 'A person should look',
  sure: 'Done, nothing in doubt',
};
const SIGNS: Record<NightState, string> = { failed: '✕', look: '!', sure: '✓' };

/** The summary of a night as one page beside the results: what failed first, then what a person must look at. */
export function nightPage(results: readonly NightResult[], left: readonly string[]): string {
  const states: NightState[] = ['failed', 'look', 'sure'];
  const count = (state: NightState): number => results.filter((r) => r.state === state).length;
  const counts = states.map((s) => `<li><b>${count(s)}</b> ${HEADS[s].toLowerCase()}</li>`).join('');
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>The night's work</title>
<style>${STYLE}</style>
</head>
<body>
<main>
<h1>The night's work</h1>
<ul class="counts">${counts}${left.length > 0 ? `<li><b>${left.length}</b> to come</li>` : ''}</ul>
${states.map((s) => section(s, results)).join('\n')}
${left.length > 0 ? `<h2>To come</h2><p>${left.map(text).join(', ')}</p>` : ''}
</main>
</body>
</html>
`;
}

function section(state: NightState, results: readonly NightResult[]): string {
  const own = results.filter((r) => r.state === state);
  if (own.length === 0) return '';
  return `<h2>${HEADS[state]}</h2>\n<ul class="cards">\n${own.map(card).join('\n')}\n</ul>`;
}

function card({ name, state, why, verdict, seconds }: NightResult): string {
  const folder = encodeURIComponent(name);
  const points = verdict?.points.map((p) => `<dt>${text(p.label)}</dt><dd>${text(p.text)}</dd>`).join('') ?? '';
  const files = state === 'failed' ? ['log.txt'] : ['mesh.glb', 'mesh.ply', 'report.json', 'log.txt'];
  const links = files.map((f) => `<a href="${folder}/${f}">${f}</a>`).join(' ');
  return `<li>
${state === 'failed' ? '' : `<img src="${folder}/picture.png" alt="Picture of ${text(name)}" width="176" height="176">`}
<div><h3><span aria-hidden="true">${SIGNS[state]}</span> ${text(name)}</h3>
${why ? `<p>${text(why)}</p>` : ''}
${points ? `<dl>${points}</dl>` : ''}
<p class="muted">${Math.round(seconds)} s · ${links}</p></div>
</li>`;
}

const STYLE = `body{margin:0;background:#faf6ef;color:#26221c;font:15px/1.45 "IBM Plex Sans",system-ui,sans-serif}
main{max-width:1100px;margin:0 auto;padding:24px}h1{margin:0 0 8px;font-size:24px}h2{margin:24px 0 8px;font-size:18px}h3{margin:0;font-size:16px}
a{color:#0e5a5f}.muted{color:#6e6557}.counts{display:flex;gap:28px;list-style:none;margin:0;padding:0}
.cards{display:grid;grid-template-columns:repeat(auto-fill,minmax(460px,1fr));gap:14px;list-style:none;margin:0;padding:0}
.cards li{display:flex;gap:14px;background:#fffdf9;border:1px solid #e4dccd;border-radius:12px;padding:12px}
.cards img{border-radius:8px;background:#efe9dd}.cards p{margin:4px 0}
dl{display:grid;grid-template-columns:auto 1fr;gap:1px 10px;margin:6px 0}dt{color:#6e6557}dd{margin:0}
@media(prefers-color-scheme:dark){body{background:#1d1a16;color:#efe8dc}.cards li{background:#26221c;border-color:#3d372e}a{color:#7fc4c9}.muted,dt{color:#a99f8e}}
@media(max-width:520px){.cards{grid-template-columns:1fr}}`;
