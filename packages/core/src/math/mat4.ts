/**
 * Rigid transforms: 16 doubles, column-major, column vectors (as in three.js and glTF).
 * A matrix named `targetFromSource` maps source coordinates to target coordinates.
 */
export type Mat4 = Float64Array;
export type Vec3 = [number, number, number];

export function identity(): Mat4 {
  const m = new Float64Array(16);
  m[0] = m[5] = m[10] = m[15] = 1;
  return m;
}

/** `a · b`: first `b`, then `a`. */
export function multiply(a: Mat4, b: Mat4): Mat4 {
  const out = new Float64Array(16);
  for (let c = 0; c < 4; c++) {
    for (let r = 0; r < 4; r++) {
      let sum = 0;
      for (let k = 0; k < 4; k++) sum += a[k * 4 + r] * b[c * 4 + k];
      out[c * 4 + r] = sum;
    }
  }
  return out;
}

/** Inverse of a rotation with translation. */
export function invertRigid(m: Mat4): Mat4 {
  const out = identity();
  for (let r = 0; r < 3; r++) {
    for (let c = 0; c < 3; c++) out[c * 4 + r] = m[r * 4 + c];
  }
  for (let r = 0; r < 3; r++) out[12 + r] = -(out[r] * m[12] + out[4 + r] * m[13] + out[8 + r] * m[14]);
  return out;
}

export function transformPoint(m: Mat4, x: number, y: number, z: number): Vec3 {
  return [
    m[0] * x + m[4] * y + m[8] * z + m[12],
    m[1] * x + m[5] * y + m[9] * z + m[13],
    m[2] * x + m[6] * y + m[10] * z + m[14],
  ];
}

export function rotateVector(m: Mat4, x: number, y: number, z: number): Vec3 {
  return [m[0] * x + m[4] * y + m[8] * z, m[1] * x + m[5] * y + m[9] * z, m[2] * x + m[6] * y + m[10] * z];
}

/** Transforms every point of a flat `xyz` array into a new array. */
export function transformPoints(m: Mat4, points: Float32Array): Float32Array {
  const out = new Float32Array(points.length);
  for (let i = 0; i < points.length; i += 3) {
    const x = points[i];
    const y = points[i + 1];
    const z = points[i + 2];
    out[i] = m[0] * x + m[4] * y + m[8] * z + m[12];
    out[i + 1] = m[1] * x + m[5] * y + m[9] * z + m[13];
    out[i + 2] = m[2] * x + m[6] * y + m[10] * z + m[14];
  }
  return out;
}

/** Rotates every vector of a flat `xyz` array into a new array. */
export function rotateVectors(m: Mat4, vectors: Float32Array): Float32Array {
  const turn = Float64Array.from(m);
  turn[12] = turn[13] = turn[14] = 0;
  return transformPoints(turn, vectors);
}

/** Rotation by a unit quaternion (w, x, y, z) followed by a translation. */
export function fromQuaternion(w: number, x: number, y: number, z: number, tx = 0, ty = 0, tz = 0): Mat4 {
  const m = identity();
  m[0] = 1 - 2 * (y * y + z * z);
  m[1] = 2 * (x * y + w * z);
  m[2] = 2 * (x * z - w * y);
  m[4] = 2 * (x * y - w * z);
  m[5] = 1 - 2 * (x * x + z * z);
  m[6] = 2 * (y * z + w * x);
  m[8] = 2 * (x * z + w * y);
  m[9] = 2 * (y * z - w * x);
  m[10] = 1 - 2 * (x * x + y * y);
  m[12] = tx;
  m[13] = ty;
  m[14] = tz;
  return m;
}

/**
 * The unit quaternion (w, x, y, z) of a matrix' rotation, w ≥ 0.
 * Source: S. Shepperd (1978), Quaternion from rotation matrix.
 */
export function toQuaternion(m: Mat4): [number, number, number, number] {
  const trace = m[0] + m[5] + m[10];
  // The largest of the four is worked out first: dividing by it is safe.
  const squares = [1 + trace, 1 + 2 * m[0] - trace, 1 + 2 * m[5] - trace, 1 + 2 * m[10] - trace];
  const rows = [
    [squares[0], m[6] - m[9], m[8] - m[2], m[1] - m[4]],
    [m[6] - m[9], squares[1], m[1] + m[4], m[8] + m[2]],
    [m[8] - m[2], m[1] + m[4], squares[2], m[6] + m[9]],
    [m[1] - m[4], m[8] + m[2], m[6] + m[9], squares[3]],
  ];
  const row = rows[squares.indexOf(Math.max(...squares))];
  const length = Math.hypot(...row) * (row[0] < 0 ? -1 : 1);
  return row.map((v) => v / length) as [number, number, number, number];
}

/** Rotation by `|r|` radians about `r` (exact exponential map) with translation `t`. */
export function fromTwist(rx: number, ry: number, rz: number, tx: number, ty: number, tz: number): Mat4 {
  const angle = Math.hypot(rx, ry, rz);
  const s = angle < 1e-12 ? 0.5 : Math.sin(angle / 2) / angle;
  return fromQuaternion(Math.cos(angle / 2), rx * s, ry * s, rz * s, tx, ty, tz);
}

/** Rotation by an angle about an axis (need not be unit) through the origin. */
export function fromAxisAngle(axis: Vec3, angleRad: number): Mat4 {
  const k = angleRad / Math.hypot(axis[0], axis[1], axis[2]);
  return fromTwist(axis[0] * k, axis[1] * k, axis[2] * k, 0, 0, 0);
}

export function fromTranslation(x: number, y: number, z: number): Mat4 {
  const m = identity();
  m[12] = x;
  m[13] = y;
  m[14] = z;
  return m;
}

/**
 * Sensor pose looking from `eye` to `target`: +Z forward, +X right, +Y down (the sensor frame of docs/formats.md).
 * @returns worldFromSensor
 */
export function lookAt(eye: Vec3, target: Vec3, up: Vec3): Mat4 {
  const f = normalize3([target[0] - eye[0], target[1] - eye[1], target[2] - eye[2]]);
  const right = normalize3(cross3(f, up));
  const down = cross3(f, right);
  const m = identity();
  m.set(right, 0);
  m.set(down, 4);
  m.set(f, 8);
  m.set(eye, 12);
  return m;
}

/**
 * The same transform with its rotation made exactly orthonormal again (Gram–Schmidt on the columns). Chains that invert
 * what they multiply, such as a motion carried on from frame to frame, double their rounding errors each time without it.
 */
export function orthonormalized(m: Mat4): Mat4 {
  const x = normalize3([m[0], m[1], m[2]]);
  const d = dot3(x, [m[4], m[5], m[6]]);
  const y = normalize3([m[4] - d * x[0], m[5] - d * x[1], m[6] - d * x[2]]);
  const out = Float64Array.from(m);
  out.set(x, 0);
  out.set(y, 4);
  out.set(cross3(x, y), 8);
  return out;
}

/** Rotation angle of a rigid transform, in radians (0–π). */
export function rotationAngle(m: Mat4): number {
  // atan2 of the skew part's length keeps small angles exact where acos of the trace would not.
  const s = Math.hypot(m[6] - m[9], m[8] - m[2], m[1] - m[4]);
  return Math.atan2(s, m[0] + m[5] + m[10] - 1);
}

/** True if the upper 3×3 is a rotation within `tolerance` and the last row is (0 0 0 1). */
export function isRigid(m: ArrayLike<number>, tolerance = 1e-4): boolean {
  if (m.length !== 16) return false;
  for (let i = 0; i < 16; i++) if (!Number.isFinite(m[i])) return false;
  if (m[3] !== 0 || m[7] !== 0 || m[11] !== 0 || m[15] !== 1) return false;
  for (let a = 0; a < 3; a++) {
    for (let b = a; b < 3; b++) {
      let dot = 0;
      for (let r = 0; r < 3; r++) dot += m[a * 4 + r] * m[b * 4 + r];
      if (Math.abs(dot - (a === b ? 1 : 0)) > tolerance) return false;
    }
  }
  const c = cross3([m[0], m[1], m[2]], [m[4], m[5], m[6]]);
  return c[0] * m[8] + c[1] * m[9] + c[2] * m[10] > 0;
}

export function cross3(a: ArrayLike<number>, b: ArrayLike<number>): Vec3 {
  return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
}

export function dot3(a: ArrayLike<number>, b: ArrayLike<number>): number {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

export function normalize3(a: Vec3): Vec3 {
  const l = Math.hypot(a[0], a[1], a[2]);
  return l > 0 ? [a[0] / l, a[1] / l, a[2] / l] : [0, 0, 0];
}

/** Two unit vectors across a unit vector and across each other: `[u, v]` with u × v = d. */
export function perpendiculars(d: Vec3): [Vec3, Vec3] {
  const u = normalize3(cross3(d, Math.abs(d[0]) < 0.8 ? [1, 0, 0] : [0, 1, 0]));
  return [u, cross3(d, u)];
}

/**
 * Two unit vectors across a unit vector, and it, written to `out` as rows of 3; as `perpendiculars`, without making anything.
 * Source: T. Duff et al. (2017), Building an orthonormal basis, revisited.
 */
export function frameAbout(nx: number, ny: number, nz: number, out: Float64Array): void {
  const sign = nz >= 0 ? 1 : -1;
  const a = -1 / (sign + nz);
  const b = nx * ny * a;
  out[0] = 1 + sign * nx * nx * a;
  out[1] = sign * b;
  out[2] = -sign * nx;
  out[3] = b;
  out[4] = sign + ny * ny * a;
  out[5] = -ny;
  out[6] = nx;
  out[7] = ny;
  out[8] = nz;
}
