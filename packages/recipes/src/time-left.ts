import { OPERATION_IDS } from '@amber-knit/operations';

/** How long an operation took on this machine, and how large the piece was. */
export interface PastRun {
  operationId: string;
  seconds: number;
  /** Points of the piece's scans as they came in. */
  points: number;
}

/**
 * Seconds for a million points where the machine has no past: the demo jug (8 scans, 41 pictures, 0.38 million points) on two cores
 * beside a browser. The first run on a machine corrects it.
 */
const FIRST_GUESS: Record<string, number> = {
  [OPERATION_IDS.cleanSupport]: 8,
  [OPERATION_IDS.cleanStrays]: 5,
  [OPERATION_IDS.registerAutomatic]: 70,
  [OPERATION_IDS.fuseSurface]: 50,
  [OPERATION_IDS.mendAll]: 75,
  [OPERATION_IDS.mendReduce]: 35,
  [OPERATION_IDS.textureMap]: 130,
  [OPERATION_IDS.checkInspect]: 6,
};
/** Newest runs of an operation that count. */
const REMEMBERED = 7;
const SMALLEST = 10_000;

/** Seconds an operation is likely to take: the middle of its last runs, in proportion to the points. */
export function likelySeconds(operationId: string, points: number, past: readonly PastRun[]): number {
  const size = (p: number): number => Math.max(SMALLEST, p);
  const rates = past
    .filter((r) => r.operationId === operationId)
    .slice(0, REMEMBERED)
    .map((r) => r.seconds / size(r.points))
    .sort((a, b) => a - b);
  const rate = rates.length > 0 ? rates[rates.length >> 1] : (FIRST_GUESS[operationId] ?? 5) / 1e6;
  return rate * size(points);
}
