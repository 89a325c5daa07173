import * as THREE from 'three';

/** One colour that no strand has, the same on light and dark ground. */
const COLOR = '#d2208f';
const material = new THREE.PointsMaterial({ color: COLOR, size: 2.5, sizeAttenuation: false });

/** Points that stand out from all others, such as those of one frame. */
export function pointsApart(positions: Float32Array, matrix: readonly number[]): THREE.Points {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute('position', new THREE.BufferAttribute(positions, 3));
  const points = new THREE.Points(geometry, material);
  points.matrixAutoUpdate = false;
  points.matrix.fromArray(matrix);
  return points;
}
