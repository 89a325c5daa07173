import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

const require = createRequire(import.meta.url);
const HERE = dirname(require.resolve('@fontsource/ibm-plex-sans/package.json'));

/** The font comes in files by script, each with the characters it holds: the first that has one is taken. */
const SCRIPTS = ['latin', 'latin-ext', 'greek', 'cyrillic', 'cyrillic-ext', 'vietnamese'] as const;
type Script = (typeof SCRIPTS)[number];

const RANGES = rangesOf(JSON.parse(readFileSync(join(HERE, 'unicode.json'), 'utf8')) as Record<Script, string>);

function rangesOf(told: Record<Script, string>): { script: Script; from: number; to: number }[] {
  return SCRIPTS.flatMap((script) =>
    told[script].split(',').map((range) => {
      const [from, to = from] = range
        .slice(2)
        .split('-')
        .map((hex) => parseInt(hex, 16));
      return { script, from, to };
    }),
  );
}

/** Files of each script, normal and bold. */
export const PLEX_FONTS = Object.fromEntries(
  SCRIPTS.map((script) => {
    const file = (weight: number): string => join(HERE, 'files', `ibm-plex-sans-${script}-${weight}-normal.woff`);
    return [script, { normal: file(400), bold: file(600) }];
  }),
);

/** What no file has is shown so. */
const UNKNOWN = '\uFFFD';

/** A text in runs of one font each; characters that no font has become a mark that says so. */
export function plexRuns(text: string): { text: string; font: Script }[] {
  const runs: { text: string; font: Script }[] = [];
  for (const character of text.normalize('NFC')) {
    const code = character.codePointAt(0)!;
    const known = RANGES.find(({ from, to }) => code >= from && code <= to);
    const font = known?.script ?? 'latin';
    const last = runs.at(-1);
    const shown = known ? character : UNKNOWN;
    if (last?.font === font) last.text += shown;
    else runs.push({ text: shown, font });
  }
  return runs;
}
