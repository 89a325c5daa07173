import {
  boundsOf,
  diagonalOf,
  pointCount,
  sensorPositions,
  triangleCount,
  type Placement,
  type PlacementAgreement,
  type PlacementDoubt,
  type PointCloud,
  type Scan,
  type LightModel,
  type TexturedMesh,
  type TriangleMesh,
  wereRefined,
} from '@amber-knit/core/geometry';
import {
  applyCut,
  cloudParts,
  decodeCloud,
  decodeCut,
  decodeFrames,
  decodeMesh,
  encodeCloud,
  encodeColorPng,
  encodeCut,
  encodeFrames,
  encodeMesh,
  rowsLeftOf,
} from '@amber-knit/core/stored';
import { plainPlacings, type PlacingSheet } from '@amber-knit/core/placing';
import type { Surroundings } from '@amber-knit/operations';
import { plainSheet, type DimensionSheet } from '@amber-knit/core/dimensions';
import type { TrustSheet } from '@amber-knit/core/fusion';
import { coverageGrowth } from '@amber-knit/core/frames';
import { inspectTopology, simplifyMesh } from '@amber-knit/core/mesh';
import { estimateNoise, estimateSpacing } from '@amber-knit/core/pointcloud';
import { renderTurntable } from '@amber-knit/core/pictures';
import type { ArtifactView } from '@amber-knit/contracts';

/** An artifact's bytes with its kind and facts, before it has an id. */
export interface EncodedArtifact {
  kind: ArtifactView['kind'];
  bytes: Uint8Array;
  facts: ArtifactView['facts'];
}

/** Bytes that were written to a file because they are many. */
export interface WrittenFile {
  path: string;
  length: number;
}

/** An encoded cloud; that of a large one may lie in a file. */
export type EncodedCloud = Omit<EncodedArtifact, 'bytes'> & { bytes: Uint8Array | WrittenFile };

/** A cloud of more points is written to a file part by part: its bytes are not held beside it. */
const MOST_HELD = 2_000_000;

/** A stored cloud with its points in memory. */
export interface StoredCloud {
  id: string;
  cloud: PointCloud;
}

/** Viewpoints kept with a cloud: enough to tell from where each place was seen. */
const MOST_VIEWPOINTS = 64;

/** At most `most` of some values, evenly taken; undefined if there are none. */
function someOf<T>(values: readonly T[], most: number): T[] | undefined {
  if (values.length === 0) return undefined;
  const step = Math.max(1, values.length / most);
  return Array.from({ length: Math.min(most, values.length) }, (_, i) => values[Math.floor(i * step)]);
}

/**
 * Encodes a scan's cloud: as a cut if it is what is left of a stored cloud, else as it is.
 * @param write puts the parts of a large cloud into a file
 */
export function encodeScanCloud(scan: Scan, base?: StoredCloud): EncodedArtifact;
export function encodeScanCloud(
  scan: Scan,
  base: StoredCloud | undefined,
  write: (parts: Iterable<Uint8Array>) => WrittenFile,
): EncodedCloud;
export function encodeScanCloud(
  scan: Scan,
  base?: StoredCloud,
  write?: (parts: Iterable<Uint8Array>) => WrittenFile,
): EncodedCloud {
  const b = boundsOf(scan.cloud.positions);
  const dropped = scan.droppedFrames?.map((f) => f.name) ?? [];
  const meta = {
    viewpoints: someOf(sensorPositions(scan), MOST_VIEWPOINTS),
    ...(dropped.length > 0 ? { droppedFrames: dropped } : {}),
  };
  const spacing = estimateSpacing(scan.cloud);
  const noise = estimateNoise(scan.cloud, spacing);
  const kept = base && scan.storedAs === base.id ? rowsLeftOf(base.cloud, scan.cloud) : undefined;
  return {
    kind: 'cloud',
    bytes:
      base && kept
        ? encodeCut({ base: base.id, kept, backdrop: scan.backdrop, meta }, scan.cloud.positions)
        : write && pointCount(scan.cloud) > MOST_HELD
          ? write(cloudParts(scan.cloud, scan.backdrop, meta))
          : encodeCloud(scan.cloud, scan.backdrop, meta),
    facts: {
      points: pointCount(scan.cloud),
      spacing,
      // What can't be told is left out.
      ...(Number.isFinite(noise) ? { noise } : {}),
      diagonal: diagonalOf(b),
      width: b.max[0] - b.min[0],
      depth: b.max[1] - b.min[1],
      height: b.max[2] - b.min[2],
      colours: scan.cloud.colors !== undefined,
      ...(wereRefined(scan.frames ?? []) ? {} : { unrefined: true }),
      ...(base && kept ? { base: base.id } : {}),
      ...(dropped.length > 0 ? { droppedFrames: dropped.join('\n') } : {}),
    },
  };
}

/** The same cut of a copy of its cloud, which is stored under another id. */
export function cutOnto(base: string, cut: Uint8Array, whole: Uint8Array): Uint8Array {
  const moved = { ...decodeCut(cut), base };
  return encodeCut(moved, applyCut(decodeCloud(whole).cloud, moved).positions);
}

export function encodeScanFrames(scan: Scan): EncodedArtifact | undefined {
  if (!scan.frames?.length) return undefined;
  const growth = coverageGrowth(scan.frames);
  // Those that are left out stay stored: they can be taken in again.
  const all = [...scan.frames, ...(scan.droppedFrames ?? [])];
  return {
    kind: 'frames',
    bytes: encodeFrames(all),
    facts: {
      frames: all.length,
      // In per cent, one number after the other.
      ...(growth.length > 0 ? { coverage: growth.map((v) => Math.round(100 * v)).join(' ') } : {}),
    },
  };
}

/** A scan's stored bytes. */
export interface StoredScan {
  name: string;
  /** How the object lay. */
  setup: string;
  cloud: Uint8Array;
  /** Id of the artifact that holds the points, and its bytes if the cloud is a cut of it. */
  storedAs: string;
  base?: Uint8Array;
  frames?: Uint8Array;
}

/** Decodes a scan, and the stored cloud that its points are rows of. */
export function decodeScan({ name, setup, cloud, storedAs, base, frames }: StoredScan): {
  scan: Scan;
  stored: StoredCloud;
} {
  const cut = base && decodeCut(cloud);
  const whole = decodeCloud(base ?? cloud);
  const { rows: _rows, ...stored } = whole.cloud;
  const { meta, backdrop } = cut ?? whole;
  const dropped = new Set(meta.droppedFrames ?? []);
  const all = frames ? decodeFrames(frames) : [];
  return {
    scan: {
      name,
      setup,
      cloud: cut ? applyCut(whole.cloud, cut) : whole.cloud,
      storedAs,
      backdrop,
      viewpoints: meta.viewpoints as Scan['viewpoints'],
      whole: stored,
      ...(frames ? { frames: all.filter((f) => !dropped.has(f.name)) } : {}),
      ...(dropped.size > 0 ? { droppedFrames: all.filter((f) => dropped.has(f.name)) } : {}),
    },
    stored: { id: storedAs, cloud: stored },
  };
}

/** Whether it is coloured, the height of its lowest place and its longest side, mm. */
function placeFacts(mesh: TriangleMesh): EncodedArtifact['facts'] {
  const { min, max } = boundsOf(mesh.positions);
  const longest = Math.max(...max.map((m, k) => m - min[k]));
  // A surface without a vertex lies nowhere.
  return { colours: mesh.colors !== undefined, ...(longest >= 0 ? { lowest: min[2], longest } : {}) };
}

/** Triangles of the light version that the browser shows first. */
const COARSE_TRIANGLES = 24_000;

export async function encodeSurface(mesh: TriangleMesh | TexturedMesh | LightModel): Promise<EncodedArtifact> {
  const report = inspectTopology(mesh);
  const textured = 'cornerUvs' in mesh;
  const coarse = !textured && triangleCount(mesh) > 2 * COARSE_TRIANGLES ? await coarseTriangles(mesh) : undefined;
  return {
    kind: 'maps' in mesh ? 'light' : textured ? 'model' : 'mesh',
    bytes: encodeMesh(mesh, coarse),
    facts: {
      triangles: report.triangles,
      vertices: report.vertices,
      pieces: report.pieces,
      holes: Number.isFinite(report.holes) ? report.holes : -1,
      watertight: report.watertight,
      ...placeFacts(mesh),
      ...(textured ? { mapSize: mesh.texture.width } : {}),
      ...('maps' in mesh ? { failed: mesh.failed.length } : {}),
    },
  };
}

async function coarseTriangles(mesh: TriangleMesh): Promise<Uint32Array> {
  // An index list over the full vertices: tag each vertex with its number to find it again after compaction.
  const n = mesh.positions.length / 3;
  const tags = { low: new Uint8Array(3 * n), high: new Uint8Array(n) };
  for (let v = 0; v < n; v++) {
    tags.low[3 * v] = v & 255;
    tags.low[3 * v + 1] = (v >> 8) & 255;
    tags.low[3 * v + 2] = (v >> 16) & 255;
    tags.high[v] = v >>> 24;
  }
  const light = await simplifyMesh(
    { positions: mesh.positions, indices: mesh.indices, colors: tags.low, invented: tags.high },
    COARSE_TRIANGLES,
  );
  const c = light.colors!;
  const h = light.invented!;
  return light.indices.map((v) => c[3 * v] | (c[3 * v + 1] << 8) | (c[3 * v + 2] << 16) | (h[v] << 24));
}

export function decodeSurface(bytes: Uint8Array): TriangleMesh | TexturedMesh | LightModel {
  return decodeMesh(bytes);
}

export function encodePlacements(placements: Placement[]): EncodedArtifact {
  // Scans in doubt share their doubt: it is kept once, and they name it by its number.
  const doubts = [...new Set(placements.flatMap((p) => p.doubt ?? []))];
  const plain = {
    placements: placements.map((p) => ({
      ...p,
      pieceFromScan: Array.from(p.pieceFromScan),
      doubt: p.doubt && doubts.indexOf(p.doubt),
    })),
    doubts: doubts.map((d) => ({
      ...d,
      rivals: d.rivals.map((r) => ({ ...r, pieceFromPiece: Array.from(r.pieceFromPiece) })),
    })),
  };
  return {
    kind: 'placements',
    bytes: new TextEncoder().encode(JSON.stringify(plain)),
    facts: { registered: placements.filter((p) => p.state === 'registered').length, scans: placements.length },
  };
}

export function decodePlacements(bytes: Uint8Array): Placement[] {
  type StoredPlacement = Omit<Placement, 'pieceFromScan' | 'doubt'> & { pieceFromScan: number[]; doubt?: number };
  type StoredDoubt = Omit<PlacementDoubt, 'rivals'> & {
    rivals: { pieceFromPiece: number[]; agreement: PlacementAgreement }[];
  };
  const stored = JSON.parse(new TextDecoder().decode(bytes)) as
    { placements: StoredPlacement[]; doubts: StoredDoubt[] } | StoredPlacement[];
  // Before doubts were kept it was a list of placements.
  const { placements, doubts } = Array.isArray(stored) ? { placements: stored, doubts: [] } : stored;
  const known = doubts.map((d) => ({
    ...d,
    rivals: d.rivals.map((r) => ({ ...r, pieceFromPiece: Float64Array.from(r.pieceFromPiece) })),
  }));
  return placements.map(({ doubt, ...p }) => ({
    ...p,
    pieceFromScan: Float64Array.from(p.pieceFromScan),
    ...(doubt === undefined ? {} : { doubt: known[doubt] }),
  }));
}

/** Stored placements with other keys for their scans; keys that are not known stay. */
export function placementsRekeyed(bytes: Uint8Array, keys: ReadonlyMap<string, string>): EncodedArtifact {
  return encodePlacements(rekeyed(decodePlacements(bytes), keys));
}

/** The same of placements that were decoded. */
export function rekeyed(placements: readonly Placement[], keys: ReadonlyMap<string, string>): Placement[] {
  const keyOf = (key: string): string => keys.get(key) ?? key;
  const doubts = new Map<PlacementDoubt, PlacementDoubt>();
  const doubtOf = (d: PlacementDoubt): PlacementDoubt => {
    const known = doubts.get(d) ?? { ...d, scans: d.scans.map(keyOf) };
    doubts.set(d, known);
    return known;
  };
  return placements.map((p) => ({
    ...p,
    name: keyOf(p.name),
    ...(p.neighbours ? { neighbours: p.neighbours.map((n) => ({ ...n, name: keyOf(n.name) })) } : {}),
    ...(p.doubt ? { doubt: doubtOf(p.doubt) } : {}),
  }));
}

/** Which scans count where, as JSON (docs/formats.md). */
export function encodeTrust({ regions }: TrustSheet): EncodedArtifact {
  return {
    kind: 'trust',
    bytes: new TextEncoder().encode(JSON.stringify({ version: 1, units: 'mm', regions })),
    facts: { regions: regions.length },
  };
}

export function decodeTrust(bytes: Uint8Array): TrustSheet {
  const { regions } = JSON.parse(new TextDecoder().decode(bytes)) as TrustSheet;
  return { regions };
}

/** Dimensions as JSON (docs/formats.md). */
export function encodeDimensions(sheet: DimensionSheet): EncodedArtifact {
  return {
    kind: 'dimensions',
    bytes: new TextEncoder().encode(JSON.stringify(plainSheet(sheet))),
    facts: { dimensions: sheet.asked.length, lost: sheet.found.filter((f) => f.fault).length },
  };
}

export function decodeDimensions(bytes: Uint8Array): DimensionSheet {
  const { asked, found } = JSON.parse(new TextDecoder().decode(bytes)) as DimensionSheet;
  return { asked, found };
}

/** Surroundings as a surface that has a name. */
export async function encodeSurroundings({ name, mesh }: Surroundings): Promise<EncodedArtifact> {
  const encoded = await encodeSurface(mesh);
  return { ...encoded, kind: 'surroundings', facts: { ...encoded.facts, name } };
}

/** Placings as JSON (docs/formats.md). */
export function encodePlacings(sheet: PlacingSheet): EncodedArtifact {
  return {
    kind: 'placings',
    bytes: new TextEncoder().encode(JSON.stringify(plainPlacings(sheet))),
    facts: { placings: sheet.asked.length, clashing: sheet.found.filter((f) => f.state === 'clash').length },
  };
}

export function decodePlacings(bytes: Uint8Array): PlacingSheet {
  const { surroundings, asked, found, ways } = JSON.parse(new TextDecoder().decode(bytes)) as PlacingSheet;
  return { surroundings, asked, found, ways };
}

/** Pictures in a turntable strip and the edge of each, pixels. */
export const TURNTABLE = { views: 8, size: 240 };

/** A strip of turntable pictures of a surface, for the shelf; undefined without a surface. */
export function encodePicture(mesh: TriangleMesh | TexturedMesh | undefined): EncodedArtifact | undefined {
  if (!mesh) return undefined;
  const strip = renderTurntable(mesh, TURNTABLE.size, TURNTABLE.views, [239, 233, 221]);
  return {
    kind: 'file',
    bytes: encodeColorPng(strip),
    facts: { name: 'turntable.png', mediaType: 'image/png', ...TURNTABLE },
  };
}
