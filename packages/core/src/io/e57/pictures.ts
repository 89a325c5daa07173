import { fromQuaternion, invertRigid, multiply, type Mat4 } from '../../math/mat4.js';
import { GeometryError } from '../../runtime/geometry-error.js';
import { child, numberOf, type E57Node } from './nodes.js';
import type { PagedSource } from './pages.js';

/** The format counts in metres. */
const MM = 1000;
/** Bytes before the content of a blob. */
const BLOB_HEADER = 16;
const LARGEST_PICTURE = 256 * 1024 * 1024;

/** Where a direction is in a picture: column and row in pixels, counted from the corner of the upper left pixel. */
export interface Projection {
  /** True if the point, in the picture's own frame, is seen; then `column`, `row` and `distance` hold where. */
  see(x: number, y: number, z: number): boolean;
  column: number;
  row: number;
  /** mm */
  distance: number;
  /** About the angle that a pixel spans. */
  radiansOfPixel: number;
}

/** A picture of an E57 file whose way of seeing is known. */
export interface E57Picture {
  name: string;
  /** The scan it was taken with, if it says so. */
  scanGuid?: string;
  width: number;
  height: number;
  /** From the file's frame into its own, mm. */
  pictureFromFile: Mat4;
  projection: Projection;
  /** PNG or JPEG. */
  bytes(): Uint8Array;
}

/**
 * The pictures that show where they were taken and how: through a pinhole, on a sphere, or on a cylinder. Pictures for
 * looking at only are not among them.
 *
 * Source: ASTM E2807-11 (2011), images2D and its representations.
 * @throws GeometryError `corrupt-file`
 */
export function picturesOf(root: E57Node, source: PagedSource): E57Picture[] {
  return (child(root, 'images2D')?.children ?? []).flatMap((node, i) => {
    const pinhole = child(node, 'pinholeRepresentation');
    const sphere = child(node, 'sphericalRepresentation');
    const cylinder = child(node, 'cylindricalRepresentation');
    const shown = pinhole ?? sphere ?? cylinder;
    const blob = child(shown, 'jpegImage') ?? child(shown, 'pngImage');
    if (!shown || !blob) return [];
    const [width, height] = [numberOf(shown, 'imageWidth', 0), numberOf(shown, 'imageHeight', 0)];
    const projection = pinhole ? throughPinhole(pinhole) : sphere ? onSphere(sphere) : onCylinder(cylinder!);
    return [
      {
        name: child(node, 'name')?.text.trim() || `picture ${i + 1}`,
        scanGuid: child(node, 'associatedData3DGuid')?.text.trim() || undefined,
        width,
        height,
        pictureFromFile: invertRigid(poseOf(node) ?? fromQuaternion(1, 0, 0, 0, 0, 0, 0)),
        projection,
        bytes: () => readBlob(source, blob),
      },
    ];
  });
}

/** Where a scanner or a camera stood and how it was turned, into the file's frame in millimetres. */
export function poseOf(node: E57Node): Mat4 | undefined {
  const pose = child(node, 'pose');
  if (!pose) return undefined;
  const turn = child(pose, 'rotation');
  const place = child(pose, 'translation');
  const [w, x, y, z] = ['w', 'x', 'y', 'z'].map((k) => numberOf(turn, k, k === 'w' ? 1 : 0));
  const length = Math.hypot(w, x, y, z);
  if (Math.abs(length - 1) > 0.05)
    throw new GeometryError('corrupt-file', `A rotation in the file has length ${length.toPrecision(3)} instead of 1.`);
  const [tx, ty, tz] = ['x', 'y', 'z'].map((k) => MM * numberOf(place, k, 0));
  return fromQuaternion(w / length, x / length, y / length, z / length, tx, ty, tz);
}

/** Puts what is in the file's frame into another one, mm. */
export const movedPicture = (picture: E57Picture, fileFromScan: Mat4): Mat4 =>
  multiply(picture.pictureFromFile, fileFromScan);

function readBlob(source: PagedSource, { attributes }: E57Node): Uint8Array {
  const [at, length] = [Number(attributes.fileOffset), Number(attributes.length)];
  const start = source.logical(at) + BLOB_HEADER;
  if (!(length > 0) || length > LARGEST_PICTURE || !(at >= 0) || start + length > source.size)
    throw new GeometryError('corrupt-file', 'it lies outside of the file');
  const bytes = new Uint8Array(length);
  source.read(start, bytes);
  return bytes;
}

/** A projection from a rule that writes where a point is seen `at`. */
function projectionOf(
  radiansOfPixel: number,
  see: (at: Projection, x: number, y: number, z: number) => boolean,
): Projection {
  const at: Projection = { column: 0, row: 0, distance: 0, radiansOfPixel, see: (x, y, z) => see(at, x, y, z) };
  return at;
}

/** A camera that looks along its own -Z, +X to the right and +Y up. */
function throughPinhole(node: E57Node): Projection {
  const focal = numberOf(node, 'focalLength', 0);
  const [perX, perY] = [focal / numberOf(node, 'pixelWidth', 0), focal / numberOf(node, 'pixelHeight', 0)];
  const [cx, cy] = [numberOf(node, 'principalPointX', 0), numberOf(node, 'principalPointY', 0)];
  return projectionOf(1 / perX, (at, x, y, z) => {
    if (!(z < 0)) return false;
    at.column = cx - (perX * x) / z;
    at.row = cy + (perY * y) / z;
    at.distance = Math.hypot(x, y, z);
    return true;
  });
}

/** Azimuth from +X to the left, elevation upwards; the middle of the picture is +X. Pixels are angles. */
function onSphere(node: E57Node): Projection {
  const [perX, perY] = [1 / numberOf(node, 'pixelWidth', 0), 1 / numberOf(node, 'pixelHeight', 0)];
  const [cx, cy] = [numberOf(node, 'imageWidth', 0) / 2, numberOf(node, 'imageHeight', 0) / 2];
  return projectionOf(1 / perX, (at, x, y, z) => {
    at.column = cx - perX * Math.atan2(y, x);
    at.row = cy - perY * Math.atan2(z, Math.hypot(x, y));
    at.distance = Math.hypot(x, y, z);
    return true;
  });
}

/** Azimuth as on a sphere, height as it appears on a cylinder about Z. Pixels are angles across, metres up. */
function onCylinder(node: E57Node): Projection {
  const radius = numberOf(node, 'radius', 1);
  const [perX, perY] = [1 / numberOf(node, 'pixelWidth', 0), radius / numberOf(node, 'pixelHeight', 0)];
  const [cx, cy] = [numberOf(node, 'imageWidth', 0) / 2, numberOf(node, 'principalPointY', 0)];
  return projectionOf(1 / perX, (at, x, y, z) => {
    const away = Math.hypot(x, y);
    if (!(away > 0)) return false;
    at.column = cx - perX * Math.atan2(y, x);
    at.row = cy - (perY * z) / away;
    at.distance = Math.hypot(away, z);
    return true;
  });
}
