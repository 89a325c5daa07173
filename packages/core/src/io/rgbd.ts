import { decode as decodePng, encode as encodePng } from 'fast-png';
import type { DepthFrame, Intrinsics } from '../geometry/depth-frame.js';
import { fromQuaternion } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { decodeColor } from '../stored/color-image.js';

/**
 * A folder of depth and colour images: `depth/*.png` (16 bit), `color/*.png|jpg`, `intrinsics.json` and
 * `trajectory.txt`, one pose a line: `timestamp tx ty tz qx qy qz qw` with metres.
 * Source of the trajectory and the depth scale: J. Sturm, N. Engelhard, F. Endres, W. Burgard, D. Cremers (2012), A
 * benchmark for the evaluation of RGB-D SLAM systems. See docs/formats.md.
 */
export interface RgbdIntrinsics extends Intrinsics {
  /** Units of a 16-bit depth value per millimetre; 5 in the source's files (5000 per metre). */
  depthUnitsPerMm: number;
  color?: Intrinsics;
}

/** @throws GeometryError `corrupt-file` naming what is missing */
export function readIntrinsics(text: string): RgbdIntrinsics {
  let raw: Record<string, unknown>;
  try {
    raw = JSON.parse(text) as Record<string, unknown>;
  } catch {
    throw new GeometryError('corrupt-file', 'intrinsics.json is not valid JSON.');
  }
  const check = (o: Record<string, unknown>, where: string): Intrinsics => {
    for (const key of ['width', 'height', 'fx', 'fy', 'cx', 'cy']) {
      if (typeof o[key] !== 'number' || !Number.isFinite(o[key])) {
        throw new GeometryError('corrupt-file', `intrinsics.json: ${where}${key} is missing or not a number.`);
      }
    }
    return o as unknown as Intrinsics;
  };
  const depth = check(raw, '');
  const color = raw.color ? check(raw.color as Record<string, unknown>, 'color.') : undefined;
  const scale = typeof raw.depthUnitsPerMm === 'number' ? raw.depthUnitsPerMm : 5;
  return { ...depth, depthUnitsPerMm: scale, color };
}

/** Poses of a trajectory in file order: time and scanFromSensor in millimetres. Comments start with #. */
export function readTrajectory(text: string): { time: string; scanFromSensor: Float64Array }[] {
  const out: { time: string; scanFromSensor: Float64Array }[] = [];
  text.split(/\r?\n/).forEach((line, i) => {
    const trimmed = line.trim();
    if (trimmed === '' || trimmed.startsWith('#')) return;
    const words = trimmed.split(/\s+/);
    const v = words.slice(1).map(Number);
    if (v.length !== 7 || v.some((x) => !Number.isFinite(x))) {
      throw new GeometryError('corrupt-file', `trajectory.txt, line ${i + 1}: expected a time and seven numbers.`);
    }
    const q = Math.hypot(v[3], v[4], v[5], v[6]);
    if (Math.abs(q - 1) > 0.05)
      throw new GeometryError(
        'corrupt-file',
        `trajectory.txt, line ${i + 1}: the quaternion has length ${q.toFixed(3)} instead of 1.`,
      );
    out.push({
      time: words[0],
      scanFromSensor: fromQuaternion(v[6] / q, v[3] / q, v[4] / q, v[5] / q, 1000 * v[0], 1000 * v[1], 1000 * v[2]),
    });
  });
  return out;
}

/** Decodes a 16-bit grey PNG to millimetres. */
export function decodeDepthPng(bytes: Uint8Array, camera: RgbdIntrinsics, name: string): Float32Array {
  let image;
  try {
    image = decodePng(bytes);
  } catch {
    throw new GeometryError('corrupt-file', `${name} can't be read as a PNG picture.`);
  }
  if (image.depth !== 16 || image.channels !== 1) {
    throw new GeometryError(
      'unsupported-format',
      `${name} must be a grey PNG of 16 bits; it has ${image.depth} bits and ${image.channels} channels.`,
    );
  }
  if (image.width !== camera.width || image.height !== camera.height) {
    throw new GeometryError(
      'corrupt-file',
      `${name} measures ${image.width}×${image.height}, intrinsics.json says ${camera.width}×${camera.height}.`,
    );
  }
  return Float32Array.from(image.data as Uint16Array, (v) => v / camera.depthUnitsPerMm);
}

/** Encodes millimetres as a 16-bit grey PNG; 0 stays 0. */
export function encodeDepthPng(depth: Float32Array, camera: Intrinsics, unitsPerMm: number): Uint8Array {
  const data = Uint16Array.from(depth, (z) => Math.max(0, Math.min(65535, Math.round(z * unitsPerMm))));
  return encodePng({ width: camera.width, height: camera.height, data, channels: 1, depth: 16 });
}

/** The files of one RGB-D folder by their path inside it. */
export type FolderFiles = Map<string, Uint8Array>;

/**
 * Reads all frames of a folder. Depth images and poses belong together in order of their names and times.
 * @throws GeometryError `corrupt-file` naming the missing or broken file
 */
export function readRgbdFolder(files: FolderFiles): DepthFrame[] {
  const text = (name: string): string => {
    const bytes = files.get(name);
    if (!bytes) throw new GeometryError('corrupt-file', `${name} is missing in the folder.`);
    return new TextDecoder().decode(bytes);
  };
  const camera = readIntrinsics(text('intrinsics.json'));
  const poses = readTrajectory(text('trajectory.txt'));
  const list = (folder: string): string[] =>
    Array.from(files.keys())
      .filter((n) => n.startsWith(`${folder}/`))
      .sort();
  const depth = list('depth');
  const color = list('color');
  if (depth.length === 0) throw new GeometryError('empty-input', 'The folder depth/ holds no pictures.');
  if (poses.length !== depth.length) {
    throw new GeometryError(
      'corrupt-file',
      `trajectory.txt has ${poses.length} poses for ${depth.length} depth pictures.`,
    );
  }
  if (color.length > 0 && color.length !== depth.length) {
    throw new GeometryError(
      'corrupt-file',
      `color/ holds ${color.length} pictures for ${depth.length} depth pictures.`,
    );
  }
  const { width, height, fx, fy, cx, cy } = camera;
  return depth.map((name, i) => {
    const frame: DepthFrame = {
      name: name.slice('depth/'.length).replace(/\.png$/i, ''),
      camera: { width, height, fx, fy, cx, cy },
      depth: decodeDepthPng(files.get(name)!, camera, name),
      scanFromSensor: poses[i].scanFromSensor,
    };
    if (color.length > 0) {
      const image = decodeColor(files.get(color[i])!, color[i]);
      const c = camera.color ?? { width, height, fx, fy, cx, cy };
      if (image.width !== c.width || image.height !== c.height) {
        throw new GeometryError(
          'corrupt-file',
          `${color[i]} measures ${image.width}×${image.height}, intrinsics.json says ${c.width}×${c.height}.`,
        );
      }
      frame.color = { camera: c, image };
    }
    return frame;
  });
}
