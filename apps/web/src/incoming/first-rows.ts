import { cellsOf, type TextLayout } from '@amber-knit/core/io';

const SHOWN = 8;

/** The cells of the first lines that hold points. */
export function firstRows(text: string, layout: TextLayout): string[][] {
  return text
    .split(/\r?\n/)
    .slice(layout.headLines)
    .filter((l) => l.trim() !== '' && !l.trim().startsWith('#'))
    .slice(0, SHOWN)
    .map((l) => cellsOf(l, layout));
}
