import type { PieceView } from '@amber-knit/contracts';
import { OPERATION_IDS, type Figures, type SurfaceFacts } from '@amber-knit/operations';
import type { Step } from '../database/entities.js';

type ToldBy = Pick<Step, 'operationId' | 'status' | 'inputs' | 'outputs' | 'figures'>;

/**
 * What is known of a piece's surface without looking at it: from its artifact, and from what steps told of this very surface,
 * or of the one that was only set upright to be this one.
 * @param steps of the piece, oldest first
 */
export function surfaceFacts(
  { mesh, model, light }: Pick<PieceView, 'mesh' | 'model' | 'light'>,
  steps: readonly ToldBy[],
): SurfaceFacts | null {
  if (!mesh) return null;
  const done = steps.filter((s) => s.status === 'done');
  const same = new Set([mesh.id]);
  let upright = false;
  for (const step of done.toReversed()) {
    if (step.operationId !== OPERATION_IDS.checkUpright || !step.outputs.some((o) => same.has(o))) continue;
    upright = true;
    for (const input of step.inputs) same.add(input);
  }
  const told = (name: string): number | undefined => {
    for (const { operationId, inputs, outputs, figures } of done.toReversed()) {
      const looked = operationId === OPERATION_IDS.checkInspect && inputs.some((i) => same.has(i));
      const value = looked || outputs.some((o) => same.has(o)) ? (figures as Figures | null)?.[name] : undefined;
      if (typeof value === 'number') return value;
    }
    return undefined;
  };
  const { facts } = mesh;
  const holes = Number(facts.holes ?? -1);
  return {
    closed: Boolean(facts.watertight),
    ...(holes >= 0 ? { holes } : {}),
    // Hollows within count as no piece of their own.
    pieces: Math.max(1, Number(facts.pieces ?? 1) - (told('innerPieces') ?? 0)),
    hasColors: model !== null || Boolean(facts.colours),
    ...(typeof facts.lowest === 'number' && typeof facts.longest === 'number'
      ? { lowest: facts.lowest, longest: facts.longest }
      : {}),
    upright,
    ...known('crossings', told('crossings')),
    ...known('insideOut', told('insideOut')),
    ...known('lightTriangles', light ? Number(light.facts.triangles) : undefined),
  };
}

const known = <K extends string>(name: K, value: number | undefined): Partial<Record<K, number>> =>
  value === undefined ? {} : ({ [name]: value } as Partial<Record<K, number>>);
