import * as THREE from 'three';
import { srgbToLinear } from './view-content';

/** One colour that no strand has, the same on light and dark ground. */
const COLOR = '#d2208f';
const material = new THREE.PointsMaterial({ color: COLOR, size: 2.5, sizeAttenuation: false });

const colored = new THREE.PointsMaterial({ vertexColors: true, size: 2, sizeAttenuation: false });

const through = new THREE.PointsMaterial({ color: COLOR, size: 3, sizeAttenuation: false, depthTest: false });

/** Points of their own, not of a stored scan. */
export interface OwnPoints {
  positions: Float32Array;
  /** Absent: one colour that stands out from all others. */
  colors?: Uint8Array;
  /** Column-major 4×4: view from points. */
  matrix: readonly number[];
  /** Seen through whatever stands before them. */
  through?: boolean;
}

/** Points that do not belong to a stored scan, such as those of one frame, or of a file on its way in. */
export function pointsApart({ positions, colors, matrix, through: seenThrough }: OwnPoints): THREE.Points {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute('position', new THREE.BufferAttribute(positions, 3));
  if (colors) geometry.setAttribute('color', new THREE.BufferAttribute(srgbToLinear(colors), 3, true));
  const points = new THREE.Points(geometry, colors ? colored : seenThrough ? through : material);
  if (seenThrough) points.renderOrder = 1;
  points.matrixAutoUpdate = false;
  points.matrix.fromArray(matrix);
  return points;
}
