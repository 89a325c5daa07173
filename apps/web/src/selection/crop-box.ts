import type { CropBox } from '../app/select-slice';

/** A side of a crop box: the axis it stands across, and which end of it. */
export interface Face {
  axis: 0 | 1 | 2;
  end: 'min' | 'max';
  name: string;
  middleOf(box: CropBox): [number, number, number];
}

export const FACES: readonly Face[] = ([0, 1, 2] as const).flatMap((axis) =>
  (['min', 'max'] as const).map((end): Face => ({
    axis,
    end,
    name: `Box, ${'xyz'[axis]} ${end === 'min' ? 'from' : 'to'}`,
    middleOf: (box) => [0, 1, 2].map((k) => (k === axis ? box[end][k] : (box.min[k] + box.max[k]) / 2)) as never,
  })),
);

type Corner = readonly [0 | 1, 0 | 1, 0 | 1];
const CORNERS: readonly Corner[] = [0, 1, 2, 3, 4, 5, 6, 7].map((n) => [n & 1, (n >> 1) & 1, n >> 2] as never);

/** The twelve edges, from corner to corner; 0 stands for the lower end of an axis. */
export const EDGES: readonly (readonly [Corner, Corner])[] = CORNERS.flatMap((a, i) =>
  CORNERS.slice(i + 1).flatMap((b) => (a.filter((v, k) => v !== b[k]).length === 1 ? [[a, b] as const] : [])),
);

/** A box keeps at least this thickness, mm. */
const THINNEST = 0.1;

/** The box with a side at a place along its axis. */
export function sideAt(box: CropBox, { axis, end }: Face, to: number): CropBox {
  const side = [...box[end]] as CropBox['min'];
  side[axis] = to;
  return { ...box, [end]: side };
}

/** The box with a side moved along its axis, not beyond the opposite one. */
export function sideMoved(box: CropBox, face: Face, to: number): CropBox {
  const { min, max } = box;
  const { axis, end } = face;
  return sideAt(box, face, end === 'min' ? Math.min(to, max[axis] - THINNEST) : Math.max(to, min[axis] + THINNEST));
}

/**
 * Where a side comes to be when its handle is dragged by so many pixels: the part of the way that lies along the picture
 * of its axis. An axis that points at the eye can't be dragged, and the side stays.
 */
export function draggedSide(
  box: CropBox,
  face: Face,
  [dx, dy]: readonly [number, number],
  project: (place: [number, number, number]) => { x: number; y: number },
): number {
  const at = face.middleOf(box);
  const size = Math.max(1, box.max[face.axis] - box.min[face.axis]);
  const further = [...at] as typeof at;
  further[face.axis] += 0.1 * size;
  const [p, q] = [project(at), project(further)];
  const [ax, ay] = [(q.x - p.x) / (0.1 * size), (q.y - p.y) / (0.1 * size)];
  const squared = ax * ax + ay * ay;
  return at[face.axis] + (squared > 1e-4 ? (dx * ax + dy * ay) / squared : 0);
}
