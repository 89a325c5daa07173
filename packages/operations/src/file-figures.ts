import type { FigureFields } from './figures.js';

/** What operations that write a file tell of it, in the same words. */
export const FILE_FIGURES = {
  file: { kind: 'text', rank: 'headline', label: 'File', help: 'Name of the file.' },
  bytes: { kind: 'bytes', rank: 'headline', label: 'Size', help: 'Size of the file.' },
  triangles: { kind: 'count', rank: 'headline', label: 'Triangles', help: 'As read back from the file.' },
  size: { kind: 'length', rank: 'detail', label: 'Longest side', help: 'As read back from the file: the true size.' },
} as const satisfies FigureFields;
