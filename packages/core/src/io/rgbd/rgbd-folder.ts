import { decode as decodePng, encode as encodePng } from 'fast-png';
import { decode as decodeTiff } from 'tiff';
import type { DepthFrame, Intrinsics } from '../../geometry/depth-frame.js';
import { fromQuaternion, type Mat4 } from '../../math/mat4.js';
import { GeometryError } from '../../runtime/geometry-error.js';
import { decodeColor } from '../../stored/color-image.js';
import { assertPictureFits } from '../../stored/picture-size.js';
import { allBytes, type Bytes } from '../byte-source.js';
import type { ScanFile } from '../scan-file.js';

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

const MOST_PIXELS = 1e8;

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
    const { width, height } = o as unknown as Intrinsics;
    if (!(width >= 1 && height >= 1 && width * height <= MOST_PIXELS)) {
      throw new GeometryError('corrupt-file', `intrinsics.json: pictures of ${width}×${height} pixels can't be.`);
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

/** Decodes a grey PNG or TIFF of 16 bits to millimetres. */
export function decodeDepthPicture(bytes: Uint8Array, camera: RgbdIntrinsics, name: string): Float32Array {
  const image = greyPicture(bytes, name);
  if (image.bits !== 16 || image.channels !== 1) {
    throw new GeometryError(
      'unsupported-format',
      `${name} must be a grey picture of 16 bits; it has ${image.bits} bits and ${image.channels} channels.`,
    );
  }
  if (image.width !== camera.width || image.height !== camera.height) {
    throw new GeometryError(
      'corrupt-file',
      `${name} measures ${image.width}×${image.height}, intrinsics.json says ${camera.width}×${camera.height}.`,
    );
  }
  return Float32Array.from(image.data, (v) => v / camera.depthUnitsPerMm);
}

interface Picture {
  width: number;
  height: number;
  bits: number;
  channels: number;
  data: ArrayLike<number>;
}

function greyPicture(bytes: Uint8Array, name: string): Picture {
  assertPictureFits(bytes, name);
  try {
    if (/\.tiff?$/i.test(name)) {
      const [page] = decodeTiff(bytes, { pages: [0] });
      const { width, height, bitsPerSample: bits, samplesPerPixel: channels, data } = page;
      return { width, height, bits, channels, data };
    }
    const { width, height, depth: bits, channels, data } = decodePng(bytes);
    return { width, height, bits, channels, data };
  } catch {
    throw new GeometryError('corrupt-file', `${name} can't be read as a PNG or TIFF picture.`);
  }
}

/** Encodes millimetres as a 16-bit grey PNG; 0 stays 0. */
export function encodeDepthPng(depth: Float32Array, camera: Intrinsics, unitsPerMm: number): Uint8Array {
  const data = Uint16Array.from(depth, (z) => Math.max(0, Math.min(65535, Math.round(z * unitsPerMm))));
  return encodePng({ width: camera.width, height: camera.height, data, channels: 1, depth: 16 });
}

/** The files of one RGB-D folder by their path inside it. */
export type FolderFiles = ReadonlyMap<string, Bytes>;

/** Names that folders and files go by; the second is the one of the TUM benchmark. */
const COLOR_FOLDERS = ['color', 'rgb'];
const TRAJECTORIES = ['trajectory.txt', 'groundtruth.txt'];
/** Pictures and poses further apart in time don't belong together, in seconds (the source's own tool takes as much). */
const APART = 0.02;

/**
 * Reads a folder as a scan of frames. If there are as many poses and colour pictures as depth pictures, they belong
 * together in order; else by their times, which the pictures' names then are, and pictures without a pose are left out.
 * Pictures are unpacked when they are asked for, and only the last ones are held: many would fill the memory.
 * @throws GeometryError `corrupt-file` naming the missing or broken file; later, when a broken picture is asked for
 */
export function readRgbdScan(files: FolderFiles): ScanFile {
  const camera = readIntrinsics(textOf(files, ['intrinsics.json']));
  const poses = readTrajectory(textOf(files, TRAJECTORIES));
  const depth = picturesIn(files, ['depth']);
  const colors = picturesIn(files, COLOR_FOLDERS);
  if (depth.length === 0) throw new GeometryError('empty-input', 'The folder depth/ holds no pictures.');
  const poseTimes = poses.map((p) => Number(p.time));
  const poseOf = partnerOf(depth, poseTimes, 'trajectory.txt', 'poses');
  const colorOf = colors.length > 0 ? partnerOf(depth, colors.map(timeOf), 'color/', 'pictures') : () => -1;
  const depths = new LastUnpacked((name) => decodeDepthPicture(allBytes(files.get(name)!), camera, name));
  const { width, height, fx, fy, cx, cy } = camera;
  const own = { width, height, fx, fy, cx, cy };
  const pictures = new LastUnpacked((name) => colorPicture(allBytes(files.get(name)!), name, camera.color ?? own));
  const frames: DepthFrame[] = [];
  let left = 0;
  depth.forEach((name, i) => {
    const pose = poses[poseOf(i)];
    if (!pose) left++;
    else frames.push(lazyFrame(own, pose.scanFromSensor, name, colors[colorOf(i)], depths, pictures));
  });
  if (frames.length === 0)
    throw new GeometryError('corrupt-file', 'No depth picture has a pose near its time in trajectory.txt.');
  return {
    format: 'rgb-d',
    positions: new Float32Array(0),
    frames,
    companions: [],
    inMillimetres: true,
    notes: left > 0 ? [`${left} depth pictures without a pose within ${APART} s were left out.`] : [],
  };
}

function textOf(files: FolderFiles, names: string[]): string {
  const bytes = names.map((n) => files.get(n)).find((b) => b !== undefined);
  if (!bytes) throw new GeometryError('corrupt-file', `${names[0]} is missing in the folder.`);
  return new TextDecoder().decode(allBytes(bytes));
}

function picturesIn(files: FolderFiles, folders: string[]): string[] {
  const order = new Intl.Collator('en', { numeric: true });
  return [...files.keys()]
    .filter((n) => folders.some((f) => n.startsWith(`${f}/`)) && /\.(png|tiff?|jpe?g)$/i.test(n))
    .sort(order.compare);
}

const timeOf = (path: string): number => Number(path.replace(/^.*\//, '').replace(/\.[a-z]+$/i, ''));

/** Which of the times belongs to each depth picture, -1 for none. */
function partnerOf(depth: string[], times: number[], where: string, what: string): (i: number) => number {
  if (times.length === depth.length) return (i) => i;
  if ([...times, ...depth.map(timeOf)].some((t) => !Number.isFinite(t))) {
    throw new GeometryError(
      'corrupt-file',
      `${where} has ${times.length} ${what} for ${depth.length} depth pictures, and their names tell no times.`,
    );
  }
  return (i) => {
    const time = timeOf(depth[i]);
    const nearest = times.reduce((best, t, k) => (Math.abs(t - time) < Math.abs(times[best] - time) ? k : best), 0);
    return Math.abs(times[nearest] - time) <= APART ? nearest : -1;
  };
}

/** Unpacks pictures by name and holds the last one. */
class LastUnpacked<T> {
  private name = '';
  private value?: T;

  constructor(private readonly unpack: (name: string) => T) {}

  get(name: string): T {
    if (this.name !== name || this.value === undefined) {
      this.value = this.unpack(name);
      this.name = name;
    }
    return this.value;
  }
}

function lazyFrame(
  camera: Intrinsics,
  scanFromSensor: Mat4,
  depthName: string,
  colorName: string | undefined,
  depths: LastUnpacked<Float32Array>,
  pictures: LastUnpacked<DepthFrame['color']>,
): DepthFrame {
  return {
    name: depthName.slice('depth/'.length).replace(/\.[a-z]+$/i, ''),
    camera,
    scanFromSensor,
    get depth() {
      return depths.get(depthName);
    },
    get color() {
      return colorName === undefined ? undefined : pictures.get(colorName);
    },
  };
}

function colorPicture(bytes: Uint8Array, name: string, camera: Intrinsics): DepthFrame['color'] {
  const image = decodeColor(bytes, name);
  if (image.width !== camera.width || image.height !== camera.height) {
    throw new GeometryError(
      'corrupt-file',
      `${name} measures ${image.width}×${image.height}, intrinsics.json says ${camera.width}×${camera.height}.`,
    );
  }
  return { camera, image };
}
