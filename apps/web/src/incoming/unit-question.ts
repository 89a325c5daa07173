import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { StepView } from '@amber-knit/contracts';

/** Units that a file may be in, and how many millimetres each has. */
export const FILE_UNITS = [
  { value: 'mm', name: 'Millimetres', millimetres: 1 },
  { value: 'cm', name: 'Centimetres', millimetres: 10 },
  { value: 'in', name: 'Inches', millimetres: 25.4 },
  { value: 'm', name: 'Metres', millimetres: 1000 },
] as const;

/** An import that was refused until its unit is said. */
export interface UnitQuestion {
  stepId: string;
  fileName: string;
  /** How far the points reach, in the file's own unit. */
  across: number;
  reason: string;
}

/** Operations that read files whose unit may be doubtful. */
const ASKING: readonly string[] = [OPERATION_IDS.captureImport, OPERATION_IDS.mendBringIn];

/** What a step asks about its unit, if it does. */
export function unitQuestionOf(step: StepView): UnitQuestion | undefined {
  const across = step.status === 'failed' ? step.figures?.across : undefined;
  if (!ASKING.includes(step.operationId) || typeof across !== 'number') return undefined;
  return { stepId: step.id, fileName: step.sourceName ?? 'The file', across, reason: step.error ?? '' };
}

/** How likely a size across is for the object: the planned longest side if it is known, else anything a bench holds. */
function unlikeliness(across: number, planned: number | undefined): number {
  const wanted = planned ? 1.3 * planned : 200;
  return Math.abs(Math.log(across / wanted));
}

/** The units with the size that each would give, the likeliest marked. */
export function unitChoices(across: number, planned?: number) {
  const choices = FILE_UNITS.map((u) => ({ ...u, size: across * u.millimetres }));
  const likeliest = [...choices].sort((a, b) => unlikeliness(a.size, planned) - unlikeliness(b.size, planned))[0];
  return choices.map((c) => ({ ...c, likely: c === likeliest }));
}

/** A length for people: in the unit they would use. */
export function sizeText(mm: number): string {
  if (mm >= 10_000) return `${(mm / 1000).toPrecision(3)} m`;
  if (mm >= 1) return `${Number(mm.toPrecision(3))} mm`;
  return `${Number((1000 * mm).toPrecision(3))} µm`;
}
