import { GeometryError } from '../runtime/geometry-error.js';
import { identity, type Mat4, type Vec3 } from '../math/mat4.js';
import type { DepthFrame } from './depth-frame.js';
import type { PointCloud } from './point-cloud.js';

/** Data captured in one go in one coordinate frame. */
export interface Scan {
  name: string;
  cloud: PointCloud;
  /** Id of the stored cloud that `cloud.rows` counts in, where there is one. */
  storedAs?: string;
  frames?: DepthFrame[];
  /** Frames that were dropped: nothing uses them, and they can be taken in again. */
  droppedFrames?: DepthFrame[];
  /** The stored cloud that `cloud.rows` counts in, with all its points. */
  whole?: PointCloud;
  /** Where the sensor stood, in the scan's frame; absent if nothing is known. */
  viewpoints?: Vec3[];
  /**
   * Measured points that are not part of the object (the support, say), 3n, thinned: kept because they prove that
   * the space between them and the sensor is empty.
   */
  backdrop?: Float32Array;
  /** How the object lay: scans of one setup share their support. Absent if nothing is known. */
  setup?: string;
}

/** Where the sensor stood: the frames' poses, else the scan's own viewpoints. */
export function sensorPositions(scan: Scan): Vec3[] {
  if (scan.frames?.length) {
    return scan.frames.map((f) => [f.scanFromSensor[12], f.scanFromSensor[13], f.scanFromSensor[14]]);
  }
  return scan.viewpoints ?? [];
}

export type PlacementState = 'loose' | 'placed' | 'registered' | 'excluded';

/** Rigid transform that puts a scan into the piece's frame. */
export interface Placement {
  name: string;
  state: PlacementState;
  pieceFromScan: Mat4;
  /** No registration moves it; it keeps the piece's frame. Only scans with a place can be locked. */
  locked?: true;
  /** Root mean square distance to the neighbouring scans' surfaces, mm, once registered. */
  residual?: number;
  /** Scans it lies on, and how. */
  neighbours?: PlacementNeighbour[];
  /** How well the other scans hold it; absent for scans placed by hand. */
  uncertainty?: PlacementUncertainty;
  /** Set while the scan is only *placed* because it fits elsewhere about as well. */
  doubt?: PlacementDoubt;
}

/** How a scan lies on another. */
export interface PlacementNeighbour {
  name: string;
  /** Share of the points tried that found partners, the better of both directions (0–1). */
  overlapRatio: number;
  /** Weighted root mean square distance of partners, mm. */
  rms: number;
}

/**
 * How far a scan could be from its place, the best held scan being where it is: covariance of a small turn (rad) and shift
 * (mm) about a centre, in the piece's frame.
 */
export interface PlacementUncertainty {
  centre: Vec3;
  /** From there to the scan's outer points, mm. */
  radius: number;
  /** 6×6, row by row: turn about x, y, z, then shift along them. */
  covariance: number[];
}

/**
 * Why a scan is not registered: it fits `elsewhere` about as well; it is held only `loosely` and could slide or turn;
 * several others looked through where it stands; or it lies mostly on scans that are in doubt themselves.
 */
export type DoubtReason = 'elsewhere' | 'loosely' | 'seen-through' | 'on-doubtful';

/** Scans that may not sit where they are; the same for each of them. */
export interface PlacementDoubt {
  /** `elsewhere` if left away. */
  reason?: DoubtReason;
  /** Names of the scans that move together: how they sit to one another is sure. */
  scans: string[];
  /** How they agree with all other scans where they are. */
  chosen: PlacementAgreement;
  rivals: RivalPlace[];
}

/** A rival place: where the scans go, and how they would agree with the others there. */
export interface RivalPlace {
  /** Moves the scans, where they are now, to the rival place. */
  pieceFromPiece: Mat4;
  agreement: PlacementAgreement;
}

/** What speaks for and against a placement, in shares of the scans' points. */
export interface PlacementAgreement {
  /** Points on another scan's surface, over the points of the scans; more than 1 if several scans lie there. */
  overlap: number;
  /** Points that stand where another scan saw nothing, or through. */
  contradicted: number;
  /** Correlation of the fine contrast of paint and grain (-1 to 1); about 0 for bare, even surfaces. */
  paint: number;
  /** Points of dots, scratches and patterns that could be compared, and the share of them that agrees (1 if none). */
  marks: number;
  marksAgree: number;
}

/** Whether a scan stands somewhere in the piece: placed or registered. */
export function hasPlace({ state }: Placement): boolean {
  return state === 'placed' || state === 'registered';
}

/** A placement without what the last fit said of it: for scans that have changed or moved since. */
export function placeAlone({ name, state, pieceFromScan, locked }: Placement): Placement {
  return { name, state, pieceFromScan, ...(locked ? { locked } : {}) };
}

export function loosePlacement(name: string): Placement {
  return { name, state: 'loose', pieceFromScan: identity() };
}

/**
 * Pairs every scan that is placed or registered with its placement, in scan order.
 * @throws GeometryError `empty-input` if no scan has one
 */
export function placedScans(scans: Scan[], placements: Placement[]): { scan: Scan; placement: Placement }[] {
  const byName = new Map(placements.map((p) => [p.name, p]));
  const out = scans.flatMap((scan) => {
    const placement = byName.get(scan.name);
    return placement && hasPlace(placement) ? [{ scan, placement }] : [];
  });
  if (out.length === 0) {
    throw new GeometryError('empty-input', 'No scan is registered yet. Run a registration first.');
  }
  return out;
}
