/**
 * What a surface knows of how each of its vertices was measured. All of it is optional: a mesh from elsewhere knows nothing, one
 * from an older fusing less. Where no scan measured, counts are 0, lengths NaN and the angle `NO_ANGLE`.
 */
export interface VertexKnowledge {
  /** 1 where no scan measured the surface, 0 where one did. */
  invented?: Uint8Array;
  /** How many scans measured the surface here. */
  scanCount?: Uint8Array;
  /** How far the vertex is expected to lie off the true surface, one standard deviation, mm. */
  expectedError?: Float32Array;
  /** Angle at which the squarest of these scans saw it, degrees from straight on. */
  bestAngle?: Uint8Array;
  /** Which scan that was: its place in `scanNames`, `NO_SCAN` where nothing was measured. */
  bestScan?: Uint32Array;
  /** How far that scan's sensor stood away, mm; NaN where its place is not known. */
  bestDistance?: Float32Array;
  /** Spread of the measured points about the surface here, one standard deviation, mm. */
  residual?: Float32Array;
  /** Which scans measured it: a bit each, in the order of `scanNames`, so many words a vertex as these need. */
  scanBits?: Uint32Array;
  /** 1 on rims of openings that belong to the object, such as the mouth of a jug: they are not to be filled. */
  meantOpen?: Uint8Array;
  scanNames?: readonly string[];
  /** Which picture the colour is most of: its place in `pictures`, `NO_PICTURE` where it comes from around. */
  coloredBy?: Uint32Array;
  pictures?: readonly PictureName[];
}

/** A colour picture: the scan it belongs to, and its frame there. */
export interface PictureName {
  scan: string;
  frame: string;
}

/** `bestAngle`, `bestScan` and `coloredBy` where there is none. */
export const NO_ANGLE = 255;
export const NO_SCAN = 0xffffffff;
export const NO_PICTURE = 0xffffffff;

/** Words of bits that name one of so many scans. */
export const scanWordsFor = (scans: number): number => Math.max(1, Math.ceil(scans / 32));

type KnownArrays = Omit<VertexKnowledge, 'scanNames' | 'pictures'>;

/** One thing that vertices know: how it goes on where nothing was measured, and what files call it. */
export interface KnownAttribute {
  name: keyof KnownArrays;
  array: new (length: number) => Uint8Array | Float32Array | Uint32Array;
  /** Of a vertex that no scan measured. */
  unmeasured: number;
  /** Between three vertices: a mean by their shares, or that of the nearest. */
  between: 'mean' | 'nearest';
  isLength: boolean;
  /** Property in a PLY file, and what it means. */
  ply: string;
  meaning: string;
}

/** All that vertices may know, in the order in which it is stored and written. */
export const KNOWN_ATTRIBUTES: readonly KnownAttribute[] = [
  {
    name: 'invented',
    array: Uint8Array,
    unmeasured: 1,
    between: 'nearest',
    isLength: false,
    ply: 'invented',
    meaning: '1 where no scan measured the surface',
  },
  {
    name: 'scanCount',
    array: Uint8Array,
    unmeasured: 0,
    between: 'nearest',
    isLength: false,
    ply: 'scan_count',
    meaning: 'how many scans measured it',
  },
  {
    name: 'expectedError',
    array: Float32Array,
    unmeasured: NaN,
    between: 'mean',
    isLength: true,
    ply: 'expected_error',
    meaning: 'expected error, one standard deviation',
  },
  {
    name: 'bestAngle',
    array: Uint8Array,
    unmeasured: NO_ANGLE,
    between: 'nearest',
    isLength: false,
    ply: 'best_angle',
    meaning: 'angle of the squarest view, degrees from straight on, 255 where nothing was measured',
  },
  {
    name: 'bestScan',
    array: Uint32Array,
    unmeasured: NO_SCAN,
    between: 'nearest',
    isLength: false,
    ply: 'best_scan',
    meaning: `number of the scan that saw it most squarely, ${NO_SCAN} where nothing was measured`,
  },
  {
    name: 'bestDistance',
    array: Float32Array,
    unmeasured: NaN,
    between: 'mean',
    isLength: true,
    ply: 'best_distance',
    meaning: 'distance of the sensor in that view',
  },
  {
    name: 'residual',
    array: Float32Array,
    unmeasured: NaN,
    between: 'mean',
    isLength: true,
    ply: 'residual',
    meaning: 'spread of the measured points, one standard deviation',
  },
  {
    name: 'scanBits',
    array: Uint32Array,
    unmeasured: 0,
    between: 'nearest',
    isLength: false,
    ply: 'scans',
    meaning: 'which scans measured it, one bit each',
  },
  {
    name: 'meantOpen',
    array: Uint8Array,
    unmeasured: 0,
    between: 'nearest',
    isLength: false,
    ply: 'meant_open',
    meaning: '1 on rims of openings that belong to the object',
  },
  {
    name: 'coloredBy',
    array: Uint32Array,
    unmeasured: NO_PICTURE,
    between: 'nearest',
    isLength: false,
    ply: 'colored_by',
    meaning: `number of the picture that most of the colour is from, ${NO_PICTURE} where it is from around`,
  },
];

/** What numbers among the attributes stand for. */
export const KNOWN_NAMES = ['scanNames', 'pictures'] as const;

/** Only what is known, of everything that a mesh holds. */
export function knowledgeOf(mesh: VertexKnowledge): VertexKnowledge {
  const out: VertexKnowledge = {};
  for (const { name } of KNOWN_ATTRIBUTES) if (mesh[name]) Object.assign(out, { [name]: mesh[name] });
  for (const names of KNOWN_NAMES) if (mesh[names]) Object.assign(out, { [names]: mesh[names] });
  return out;
}

/** Everything that a mesh holds but what its vertices know. */
export function withoutKnowledge<M extends VertexKnowledge>(mesh: M): Omit<M, keyof VertexKnowledge> {
  const out = { ...mesh };
  for (const { name } of KNOWN_ATTRIBUTES) delete out[name];
  for (const names of KNOWN_NAMES) delete out[names];
  return out;
}

/** What `vertices` more know that no scan measured, after those of a mesh; `invented` is there in any case. */
export function withUnmeasured(mesh: VertexKnowledge, vertices: number, more: number): VertexKnowledge {
  const out: VertexKnowledge = { ...knowledgeOf(mesh) };
  for (const { name, array, unmeasured } of KNOWN_ATTRIBUTES) {
    const known = mesh[name];
    if (!known && name !== 'invented') continue;
    const size = known ? known.length / vertices : 1;
    const values = new array(size * (vertices + more));
    if (known) values.set(known);
    values.fill(unmeasured, size * vertices);
    Object.assign(out, { [name]: values });
  }
  return out;
}
