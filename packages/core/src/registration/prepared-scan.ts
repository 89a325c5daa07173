import type { PointCloud } from '../geometry/point-cloud.js';
import type { Mat4 } from '../math/mat4.js';
import type { PointGrid } from '../spatial/point-grid.js';
import type { PlanarFace } from './planar-faces.js';
import type { RangeView } from './range-view.js';
import type { Support } from './shared-support.js';
import type { SurfacePaint } from './surface-paint.js';

/** Cell sizes that registration works with, in mm. */
export interface RegistrationScale {
  /** Cell of the thinned clouds used for features and for judging hypotheses. */
  coarse: number;
  /** Cell of the thinned clouds used for fine registration. */
  fine: number;
}

/** What registration needs to know of one scan, computed once. All in the scan's own frame. */
export interface PreparedScan {
  name: string;
  coarse: PointCloud;
  coarseGrid: PointGrid;
  /** Indices into `coarse` of the points that are matched by their features (about a third of them). */
  keypoints: Uint32Array;
  /** Descriptors of the keypoints, 33 each. */
  features: Float32Array;
  fine: PointCloud;
  fineGrid: PointGrid;
  /** The same in the order in which fits take them (see `normalSpaceOrder`). */
  fitOrder: Uint32Array;
  /** How far each fine point's plane can be trusted, 0–1 (see `surfaceTrust`). */
  trust: Float32Array;
  /** Of a scan that its flat faces hold: 1 for the fine points on them. */
  onFace?: Uint8Array;
  /** Of such a scan, if it is noisy: by how much its crisp edges err together, one standard deviation, mm. */
  edgesErr?: number;
  /** Indices into `fine`, in a seeded shuffle: every prefix is an even subsample. */
  shuffle: Uint32Array;
  views: RangeView[];
  /** What its object lay on, where that is known and believed. */
  support?: Support;
  /** Its largest flat faces, if it has any. */
  faces: PlanarFace[];
  /** Motions under which the scan's shape falls onto itself (see `findSelfMotions`). */
  selfMotions: Mat4[];
  /** Absent without colours. */
  paint?: SurfacePaint;
  /** Noise of the surface as measured: root mean square distance to fitted planes, mm. */
  noise: number;
}
