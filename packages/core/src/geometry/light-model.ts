import type { TexturedMesh } from './triangle-mesh.js';

/** What maps can hold beside the colour. */
export const BAKED_KINDS = [
  'normal',
  'object-normal',
  'displacement',
  'occlusion',
  'curvature',
  'invented',
  'expected-error',
  'failed',
] as const;
export type BakedKind = (typeof BAKED_KINDS)[number];

/** What the numbers of each kind of map are. */
export const MAP_MEANINGS: Record<BakedKind, string> = {
  normal: 'normals in tangent space (MikkTSpace), V upwards',
  'object-normal': 'normals in the frame of the piece',
  displacement: 'height over the light surface along its normals, mm',
  occlusion: 'share of an even light from everywhere that reaches the place',
  curvature: 'mean curvature, 1/mm, positive on ridges',
  invented: 'where no scan measured the surface',
  'expected-error': 'expected error, one standard deviation, mm',
  failed: 'where no detail was found, or only slantwise',
};

/** A picture in the layout of a model's map: rows from the top. */
export interface BakedMap {
  kind: BakedKind;
  width: number;
  height: number;
  channels: 1 | 3;
  /** Bytes, or numbers of 16 bits. */
  data: Uint8Array | Uint16Array;
  /** What the lowest and the highest number stand for: mm, or 1/mm for curvature; none where it is plain. */
  range?: [number, number];
}

/** Why detail of the dense surface could not be carried over. */
export const FAILED_KINDS = ['missed', 'wrong-side', 'slanted'] as const;
/**
 * `missed`: nothing within reach; `wrong-side`: only surface that faces away; `slanted`: met so slantwise that it is smeared.
 */
export type FailedKind = (typeof FAILED_KINDS)[number];

/** A place of the light surface where detail could not be carried over. */
export interface FailedPlace {
  kind: FailedKind;
  /** Its middle, mm. */
  place: [number, number, number];
  /** How far it goes about its middle, mm, and how much of the surface it is, mm². */
  radius: number;
  area: number;
}

/** A light mesh with the detail of a dense one on its maps. */
export interface LightModel extends TexturedMesh {
  normals: Float32Array;
  /** Per triangle corner the tangent along U and the sign of the bitangent (12m), by MikkTSpace. */
  cornerTangents: Float32Array;
  maps: BakedMap[];
  failed: FailedPlace[];
}
