import { boundsOf, pointCount, type PointCloud } from '../../geometry/point-cloud.js';
import { toQuaternion, type Mat4, type Vec3 } from '../../math/mat4.js';
import { writeCompressedVector, type WrittenColumn } from './compressed-vector.js';
import { crc32c } from './crc32c.js';
import { PageWriter } from './pages.js';

/** A scan as it goes into an E57 file: points in its own frame and where that stands among the others. */
export interface E57Scan {
  name: string;
  cloud: PointCloud;
  pieceFromScan?: Mat4;
  /** Where the sensor stood, in the scan's frame. */
  viewpoints?: readonly Vec3[];
}

const NAMESPACE = 'http://www.astm.org/COMMIT/E57/2010-e57-v1.0';
const NORMALS_NAMESPACE = 'http://www.libe57.org/E57_NOR_surface_normals.txt';
/** Our own extension: where the sensor stood in a scan's frame, which need not be its origin. */
export const SENSORS_NAMESPACE = 'urn:amber-knit:e57-sensor-positions';
export const SENSORS_FIELD = 'ak:sensorPositions';
const M = 0.001;

/**
 * Writes scans into one E57 file, each with its name, pose, points as floats of single precision, colours, and normals by
 * the extension E57_EXT_surface_normals. Where the sensor stood goes into an extension of our own. The format counts in
 * metres. O(n).
 * Source: ASTM E2807-11 (2011), Standard specification for 3D imaging data exchange.
 */
export function writeE57(scans: readonly E57Scan[]): Uint8Array {
  const pages = new PageWriter();
  const children = scans.map((scan, i) => scanNode(scan, i, pages));
  const root = element(
    'e57Root',
    { type: 'Structure', xmlns: NAMESPACE, 'xmlns:nor': NORMALS_NAMESPACE, 'xmlns:ak': SENSORS_NAMESPACE },
    [
      text('formatName', 'ASTM E57 3D Imaging Data File'),
      text('guid', guidOf(scans.map((s) => s.name).join('\n'), scans.length)),
      whole('versionMajor', 1),
      whole('versionMinor', 0),
      text('e57LibraryVersion', 'Amber Knit'),
      text('coordinateMetadata', ''),
      vector('data3D', children),
      vector('images2D', []),
    ],
  );
  return pages.finish(new TextEncoder().encode(`<?xml version="1.0" encoding="UTF-8"?>\n${root}\n`));
}

const escaped = (s: string): string =>
  s.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!);

/** An XML element; what stands in it is XML already. */
function element(name: string, attributes: Record<string, string>, content: string | readonly string[]): string {
  const list = Object.entries(attributes).map(([k, v]) => ` ${k}="${escaped(v)}"`);
  return `<${name}${list.join('')}>${typeof content === 'string' ? content : content.join('')}</${name}>`;
}
const text = (name: string, value: string): string => element(name, { type: 'String' }, escaped(value));
const whole = (name: string, value: number): string => element(name, { type: 'Integer' }, String(value));
const float = (name: string, value: number): string => element(name, { type: 'Float' }, String(value));
const structure = (name: string, content: readonly string[]): string => element(name, { type: 'Structure' }, content);
const vector = (name: string, content: readonly string[]): string =>
  element(name, { type: 'Vector', allowHeterogeneousChildren: '1' }, content);

/** The same scans get the same identity, so that writing again gives the same file. */
function guidOf(seed: string, salt: number): string {
  const hex = [0, 1, 2, 3].map((k) => {
    const bytes = new TextEncoder().encode(`${k} ${salt} ${seed}`);
    return crc32c(bytes).toString(16).padStart(8, '0');
  });
  const all = hex.join('');
  return `{${[all.slice(0, 8), all.slice(8, 12), all.slice(12, 16), all.slice(16, 20), all.slice(20)].join('-')}}`;
}

function scanNode({ name, cloud, pieceFromScan, viewpoints = [] }: E57Scan, i: number, pages: PageWriter): string {
  const { positions, normals, colors } = cloud;
  const n = pointCount(cloud);
  const fields: string[] = [];
  const columns: WrittenColumn[] = [];
  const floats = (names: string[], values: Float32Array, scale: number): void =>
    names.forEach((field, k) => {
      fields.push(element(field, { type: 'Float', precision: 'single' }, ''));
      columns.push({ width: 4, put: (view, at, p) => view.setFloat32(at, scale * values[3 * p + k], true) });
    });
  floats(['cartesianX', 'cartesianY', 'cartesianZ'], positions, M);
  if (colors) {
    ['colorRed', 'colorGreen', 'colorBlue'].forEach((field, k) => {
      fields.push(element(field, { type: 'Integer', minimum: '0', maximum: '255' }, ''));
      columns.push({ width: 1, put: (view, at, p) => view.setUint8(at, colors[3 * p + k]) });
    });
  }
  if (normals) floats(['nor:normalX', 'nor:normalY', 'nor:normalZ'], normals, 1);
  const fileOffset = writeCompressedVector(pages, n, columns);
  const { min, max } = boundsOf(positions);
  const bounds = ['x', 'y', 'z'].flatMap((axis, k) => [
    float(`${axis}Minimum`, M * min[k]),
    float(`${axis}Maximum`, M * max[k]),
  ]);
  const limits = ['Red', 'Green', 'Blue'].flatMap((c) => [
    whole(`color${c}Minimum`, 0),
    whole(`color${c}Maximum`, 255),
  ]);
  return structure('vectorChild', [
    text('guid', guidOf(name, 1000 + i)),
    text('name', name),
    ...(pieceFromScan ? [poseNode(pieceFromScan)] : []),
    vector(
      SENSORS_FIELD,
      viewpoints.map((v) => structure('vectorChild', placeNode(v))),
    ),
    structure('cartesianBounds', bounds),
    ...(colors ? [structure('colorLimits', limits)] : []),
    element('points', { type: 'CompressedVector', fileOffset: String(fileOffset), recordCount: String(n) }, [
      structure('prototype', fields),
      vector('codecs', []),
    ]),
  ]);
}

/** A place in mm, as metres. */
const placeNode = ([x, y, z]: Vec3): string[] => [float('x', M * x), float('y', M * y), float('z', M * z)];

function poseNode(m: Mat4): string {
  const [w, x, y, z] = toQuaternion(m);
  return structure('pose', [
    structure('rotation', [float('w', w), float('x', x), float('y', y), float('z', z)]),
    structure('translation', placeNode([m[12], m[13], m[14]])),
  ]);
}
