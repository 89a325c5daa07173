import { Matrix4, PerspectiveCamera, Vector3 } from 'three';
import { pack, packedFile, type PictureInFile } from '../../../test/e57-files.js';
import type { ColorImage } from '../../geometry/triangle-mesh.js';
import { encodeColorPng } from '../../stored/color-image.js';
import { readE57 } from './read-e57.js';

const single = (values: number[]): number[] => Array.from(new Uint8Array(Float32Array.from(values).buffer));
const FLOATS = ['X', 'Y', 'Z'].map((a) => `<cartesian${a} type="Float" precision="single"/>`).join('');

/** A file of points in metres with pictures. */
function pointFile(points: number[][], pictures: PictureInFile[], inScan = ''): Uint8Array {
  const axis = (k: number): number[] => single(points.map((p) => p[k]));
  return packedFile(FLOATS, [axis(0), axis(1), axis(2)], points.length, 4, { pictures, inScan });
}

/** A picture whose pixels tell where they are: red the column, green the row. */
function ramp(width: number, height: number): ColorImage {
  const data = new Uint8Array(3 * width * height);
  for (let i = 0; i < width * height; i++) data.set([i % width, Math.floor(i / width), 200], 3 * i);
  return { width, height, data };
}

const real = (name: string, v: number): string => `<${name} type="Float">${v}</${name}>`;
const poseNode = (q: number[], t: number[]): string =>
  `<pose type="Structure"><rotation type="Structure">${['w', 'x', 'y', 'z'].map((k, i) => real(k, q[i])).join('')}</rotation>` +
  `<translation type="Structure">${['x', 'y', 'z'].map((k, i) => real(k, t[i])).join('')}</translation></pose>`;

function pictureNode(kind: string, image: ColorImage, fields: Record<string, number>, head = ''): PictureInFile {
  const size = { imageWidth: image.width, imageHeight: image.height, ...fields };
  return {
    bytes: encodeColorPng(image),
    around: (blob) =>
      `<vectorChild type="Structure"><guid type="String">{9}</guid>${head}<${kind} type="Structure"><pngImage ${blob}/>` +
      `${Object.entries(size)
        .map(([k, v]) => real(k, v))
        .join('')}</${kind}></vectorChild>`,
  };
}

/** A ball of points half a metre about the origin. */
const ball = Array.from({ length: 400 }, (_, i) => {
  const z = 1 - (2 * (i + 0.5)) / 400;
  const turn = i * 2.39996;
  return [0.25 * Math.hypot(1 - Math.abs(z), 0) * Math.cos(turn), 0.5 * Math.sqrt(1 - z * z) * Math.sin(turn), 0.5 * z];
});

describe('colours out of pictures', () => {
  const pinhole = { focalLength: 0.02, pixelWidth: 1e-4, pixelHeight: 1e-4, principalPointX: 100, principalPointY: 80 };

  test('through a pinhole a point has the colour where another library sees it', () => {
    // Camera a metre and a half away, turned by a quarter about X and a little about its own axis.
    const turn = new Matrix4().makeRotationFromEuler(new PerspectiveCamera().rotation.set(1.2, 0.3, 0.2));
    const camera = new PerspectiveCamera(2 * (180 / Math.PI) * Math.atan(80 / 200), 200 / 160, 0.1, 10);
    camera.quaternion.setFromRotationMatrix(turn);
    camera.position.copy(new Vector3(0, 0, 1.5).applyQuaternion(camera.quaternion));
    camera.updateMatrixWorld();
    const q = camera.quaternion;
    const node = pictureNode(
      'pinholeRepresentation',
      ramp(200, 160),
      pinhole,
      poseNode([q.w, q.x, q.y, q.z], camera.position.toArray()),
    );
    const [scan] = readE57(pointFile(ball, [node]));
    let seen = 0;
    ball.forEach((p, i) => {
      const at = new Vector3(...p).project(camera);
      const [column, row] = [100 * (at.x + 1), 80 * (1 - at.y)];
      const [r, g, b] = scan.colors!.subarray(3 * i, 3 * i + 3);
      if (b !== 200) return;
      seen++;
      expect(Math.abs(r + 0.5 - column)).toBeLessThan(0.51);
      expect(Math.abs(g + 0.5 - row)).toBeLessThan(0.51);
    });
    expect(seen).toBeGreaterThan(100);
    expect(seen).toBeLessThan(400);
    expect(scan.notes.join()).toMatch(/taken from one picture; \d+ of 400 points are in none/);
  });

  test('what lies behind something else is not painted with it', () => {
    // A small patch before a large one, seen along -Z.
    const patch = (size: number, z: number): number[][] =>
      Array.from({ length: 900 }, (_, i) => [size * ((i % 30) / 29 - 0.5), size * (Math.floor(i / 30) / 29 - 0.5), z]);
    const [scan] = readE57(
      pointFile(
        [...patch(0.1, -0.5), ...patch(0.5, -1)],
        [pictureNode('pinholeRepresentation', ramp(200, 160), pinhole)],
      ),
    );
    const isPainted = (i: number): boolean => scan.colors![3 * i + 2] === 200;
    for (let i = 0; i < 900; i++) expect(isPainted(i)).toBe(true);
    for (let i = 900; i < 1800; i++) {
      const beside = Math.max(Math.abs(scan.positions[3 * i]), Math.abs(scan.positions[3 * i + 1]));
      if (beside < 85) expect(isPainted(i)).toBe(false);
      if (beside > 130 && beside < 190) expect(isPainted(i)).toBe(true);
    }
  });

  test.each([
    // Straight ahead is the middle; azimuth runs to the left, elevation upwards.
    ['sphericalRepresentation', { pixelWidth: 0.02, pixelHeight: 0.02 }, 80 - 0.4 / 0.02],
    [
      'cylindricalRepresentation',
      { pixelWidth: 0.02, pixelHeight: 0.01, radius: 0.5, principalPointY: 80 },
      80 - (Math.tan(0.4) * 0.5) / 0.01,
    ],
  ])('%s', (kind, fields, row) => {
    const at = (azimuth: number, elevation: number): number[] => [
      2 * Math.cos(azimuth) * Math.cos(elevation),
      2 * Math.sin(azimuth) * Math.cos(elevation),
      2 * Math.sin(elevation),
    ];
    const points = [at(0, 0), at(0.5, 0), at(-0.5, 0), at(0, 0.4)];
    const [scan] = readE57(pointFile(points, [pictureNode(kind, ramp(200, 160), fields)]));
    const pixels = points.map((_, i) => Array.from(scan.colors!.subarray(3 * i, 3 * i + 2)));
    const wanted = [
      [100, 80],
      [75, 80],
      [125, 80],
      [100, row],
    ];
    pixels.forEach((p, i) => p.forEach((v, k) => expect(Math.abs(v + 0.5 - wanted[i][k])).toBeLessThanOrEqual(1)));
  });

  test('points with colours keep them, and pictures that fail are named', () => {
    const bytes = (v: number): number[] =>
      pack(
        Array.from({ length: 400 }, () => BigInt(v)),
        8,
      );
    const color = ['Red', 'Green', 'Blue'].map((c) => `<color${c} type="Integer" minimum="0" maximum="255"/>`).join('');
    const node = pictureNode('pinholeRepresentation', ramp(200, 160), pinhole);
    const axes = [0, 1, 2].map((k) => single(ball.map((p) => p[k])));
    const own = readE57(
      packedFile(FLOATS + color, [...axes, bytes(1), bytes(2), bytes(3)], 400, 4, { pictures: [node] }),
    );
    expect(Array.from(own[0].colors!.subarray(0, 3))).toEqual([1, 2, 3]);
    expect(own[0].notes.join()).toContain('the points have colours');

    const spoiled = { ...node, bytes: new Uint8Array(300).fill(7) };
    const outside = {
      ...node,
      around: (blob: string) => node.around(blob.replace(/length="\d+"/, 'length="99999999"')),
    };
    const wrongSize = pictureNode('pinholeRepresentation', ramp(20, 16), { ...pinhole, imageWidth: 200 });
    for (const [bad, why] of [
      [spoiled, /can't be read/],
      [outside, /outside of the file/],
      [wrongSize, /20×16 pixels instead of 200×16/],
    ] as const) {
      const [scan] = readE57(pointFile(ball, [bad]));
      expect(scan.positions).toHaveLength(1200);
      expect(scan.colors).toBeUndefined();
      expect(scan.notes.join()).toMatch(why);
    }
  });

  test('far from the origin, where coordinates are moved, the same points have the same colours', () => {
    const patch = Array.from({ length: 900 }, (_, i) => [
      0.5 * ((i % 30) / 29 - 0.5),
      0.5 * (Math.floor(i / 30) / 29 - 0.5),
      -1,
    ]);
    const bounds = `<cartesianBounds type="Structure">${real('xMinimum', 199.5)}${real('xMaximum', 200.5)}</cartesianBounds>`;
    const colorsAt = (x: number): Uint8Array => {
      const pose = poseNode([1, 0, 0, 0], [x, 0, 0]);
      const node = pictureNode('pinholeRepresentation', ramp(200, 160), pinhole, pose);
      const moved = patch.map((p) => [p[0] + x, p[1], p[2]]);
      return readE57(pointFile(moved, [node], x > 0 ? bounds : ''))[0].colors!;
    };
    const [near, far] = [colorsAt(0), colorsAt(200)];
    expect(near.some((v, i) => i % 3 === 2 && v === 200)).toBe(true);
    near.forEach((v, i) => expect(Math.abs(v - far[i])).toBeLessThanOrEqual(1));
  });

  test('a picture taken with another scan colours nothing', () => {
    const other = '<associatedData3DGuid type="String">{other}</associatedData3DGuid>';
    const [scan] = readE57(pointFile(ball, [pictureNode('pinholeRepresentation', ramp(200, 160), pinhole, other)]));
    expect(scan.colors).toBeUndefined();
  });
});

describe('a grid of rows and columns', () => {
  // Twelve by nine directions on a plane two metres before the scanner; one direction saw nothing.
  const [columns, rows] = [12, 9];
  const cells = Array.from({ length: columns * rows }, (_, i) => [i % columns, Math.floor(i / columns)]).filter(
    ([c, r]) => c !== 4 || r !== 3,
  );
  const points = cells.map(([c, r]) => [2 + 0.05 * (c - 5), 0.1 * (c - 5), 0.1 * (r - 4)]);
  const index = (name: string, top: number): string => `<${name} type="Integer" minimum="0" maximum="${top}"/>`;
  const file = (bits: number, scale = 1): Uint8Array =>
    packedFile(
      FLOATS + index('rowIndex', 2 ** bits - 1) + index('columnIndex', 2 ** bits - 1),
      [0, 1, 2]
        .map((k) => single(points.map((p) => p[k])))
        .concat(
          [1, 0].map((k) =>
            pack(
              cells.map((c) => BigInt(scale * c[k])),
              bits,
            ),
          ),
        ),
      points.length,
      4,
    );

  test('gives normals, towards the scanner', () => {
    const [scan] = readE57(file(8));
    const length = Math.hypot(0.1, 0.05);
    for (let i = 0; i < points.length; i++) {
      expect(scan.normals![3 * i]).toBeCloseTo(-0.1 / length, 4);
      expect(scan.normals![3 * i + 1]).toBeCloseTo(0.05 / length, 4);
      expect(scan.normals![3 * i + 2]).toBeCloseTo(0, 4);
    }
    expect(scan.notes.join()).toContain(`${columns}×${rows} cells`);
  });

  test('one that would be all but empty is none, and takes no room', () => {
    const [scan] = readE57(file(31, 190_000_000));
    expect(scan.positions).toHaveLength(3 * points.length);
    expect(scan.normals).toBeUndefined();
  });
});
