/** Millimetres in one unit. */
export const UNITS = { mm: 1, cm: 10, m: 1000, in: 25.4 } as const;
export type Unit = keyof typeof UNITS;
