import { PLACES_OF, type Dimension, type DimensionKind } from '@amber-knit/core/dimensions';
import type { RegionKind } from '@amber-knit/core/fitting';

type Place = [number, number, number];

/** Picking the places of a dimension: what is measured, how, and what was picked so far. */
export interface DimensionTool {
  kind: DimensionKind | null;
  shape: RegionKind | 'any';
  direction: Place;
  places: Place[];
}

export const RESTING: DimensionTool = { kind: null, shape: 'any', direction: [0, 0, 1], places: [] };

/** What a tool has come to ask for, without its name. */
export type Asked = Omit<Dimension, 'name' | 'note'>;

/** The tool for a kind; choosing the same again puts it down. A kind that takes no place is asked for at once. */
export function withKind(tool: DimensionTool, kind: DimensionKind | null): { tool: DimensionTool; asked?: Asked } {
  if (kind === null || kind === tool.kind) return { tool: { ...tool, kind: null, places: [] } };
  if (PLACES_OF[kind] === 0) return { tool: { ...tool, kind: null, places: [] }, asked: { kind, places: [] } };
  return { tool: { ...tool, kind, places: [] } };
}

/** The tool after a place was picked; when it was the last that the kind takes, what is asked for, and the tool begins anew. */
export function withPlace(tool: DimensionTool, place: Place): { tool: DimensionTool; asked?: Asked } {
  const { kind, shape, direction } = tool;
  if (!kind) return { tool };
  const places = [...tool.places, place];
  if (places.length < PLACES_OF[kind]) return { tool: { ...tool, places } };
  const asked: Asked = {
    kind,
    places,
    ...(kind === 'shape' || kind === 'relation' ? { shapes: places.map(() => shape) } : {}),
    ...(kind === 'section' ? { direction } : {}),
  };
  return { tool: { ...tool, places: [] }, asked };
}

/** Escape: takes back the places; once there are none, puts the tool down. */
export const withdrawn = (tool: DimensionTool): DimensionTool =>
  tool.places.length > 0 ? { ...tool, places: [] } : { ...tool, kind: null };
