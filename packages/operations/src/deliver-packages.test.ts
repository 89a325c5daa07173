import { unzipSync } from 'fflate';
import { decode } from 'fast-png';
import { validateBytes } from 'gltf-validator';
import { BoxGeometry, LatheGeometry, Vector2, type BufferGeometry } from 'three';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { readScanFiles } from '@amber-knit/core/io';
import { transformPoint } from '@amber-knit/core/math';
import { weldVertices } from '@amber-knit/core/mesh';
import { createRunContext } from '@amber-knit/core/runtime';
import { TriangleBvh } from '@amber-knit/core/spatial';
import { deliverCad, DeliverCadParams } from './deliver-cad.js';
import { deliverRecognition, DeliverRecognitionParams } from './deliver-recognition.js';
import { deliverRender, DeliverRenderParams } from './deliver-render.js';
import { parseParams } from './params.js';
import { textureBake, TextureBakeParams } from './texture-bake.js';

function meshOf(geometry: BufferGeometry): TriangleMesh {
  return weldVertices({
    positions: Float32Array.from(geometry.getAttribute('position').array),
    indices: Uint32Array.from(geometry.getIndex()!.array),
  });
}
const context = (notes: string[] = []) => createRunContext({ seed: 1, onNote: (n) => notes.push(n) });
const textOf = (bytes: Uint8Array): string => new TextDecoder().decode(bytes);

/** A block of 60 × 40 × 20 on the ground, one half of it red. */
const block = meshOf(new BoxGeometry(60, 40, 20, 30, 20, 10).translate(0, 0, 10));
const painted: TriangleMesh = {
  ...block,
  colors: Uint8Array.from(
    block.positions,
    (_, i) => (block.positions[i - (i % 3)] > 5 ? [190, 30, 30] : [90, 90, 90])[i % 3],
  ),
};

interface ObjectSheet {
  size: number[];
  up: number[];
  symmetry: { looksTheSame: number | string; hasTheSameShape: number | string };
  views: {
    picture: string;
    depth: string;
    depthStep: number;
    camera: { width: number; fx: number; fy: number; cx: number; cy: number };
    objectFromCamera: number[];
    inventedRatio: number;
  }[];
}

describe('for recognition by a camera', () => {
  const run = (mesh: TriangleMesh, values: object = {}, notes: string[] = []) =>
    deliverRecognition.run(
      { mesh },
      parseParams(DeliverRecognitionParams, { directions: 6, size: 96, ...values }),
      context(notes),
    );

  test('the object, its size and up, and pictures whose depths lie on it, seen with the stated camera', async () => {
    const { outputs, figures } = await run(painted, { name: 'Block', longest: 60.2 });
    const files = unzipSync(outputs.file.bytes);
    expect(Object.keys(files)).toEqual(
      expect.arrayContaining(['Block.glb', 'object.json', 'views/006.png', 'README.txt']),
    );
    expect((await validateBytes(files['Block.glb'])).issues.numErrors).toBe(0);
    const sheet = JSON.parse(textOf(files['object.json'])) as ObjectSheet;
    expect(sheet.size.map((s) => Number(s.toFixed(3)))).toEqual([60, 40, 20]);
    expect(sheet.up).toEqual([0, 0, 1]);
    const bvh = new TriangleBvh(block);
    const hit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
    let seen = 0;
    for (const { picture, depth, depthStep, camera, objectFromCamera } of sheet.views) {
      const image = decode(files[picture]);
      const { data, width, height } = decode(files[depth]);
      expect([width, height, image.width]).toEqual([96, 96, 96]);
      const m = Float64Array.from(objectFromCamera);
      for (let i = 0; i < data.length; i += 7) {
        const z = data[i] * depthStep;
        // Beside the object the picture is black.
        if (z === 0) {
          expect(image.data[3 * i] + image.data[3 * i + 1] + image.data[3 * i + 2]).toBe(0);
          continue;
        }
        seen++;
        const [u, v] = [i % width, Math.floor(i / width)];
        const p = transformPoint(m, ((u - camera.cx) / camera.fx) * z, ((v - camera.cy) / camera.fy) * z, z);
        expect(bvh.closest(...p, 1, hit)).toBe(true);
        expect(Math.sqrt(hit.squaredDistance)).toBeLessThan(depthStep);
        // Its colour is the object's own, without any light.
        if (p[0] > 8) expect(image.data[3 * i]).toBe(190);
        if (p[0] < 2) expect(image.data[3 * i]).toBe(90);
      }
    }
    expect(seen).toBeGreaterThan(1000);
    expect(figures.directions).toBe(6);
    expect(figures.offSize).toBeCloseTo(-0.2, 4);
  });

  test('it says by which turns the object looks the same, by colour and by shape', async () => {
    const half = await run(block);
    expect(half.figures.looksSame).toBe('after each 180°');
    const { figures } = await run(painted);
    expect([figures.looksSame, figures.sameShape]).toEqual(['after no turn', 'after each 180°']);
  });

  test('what a camera would see that no scan saw is told for each view', async () => {
    const notes: string[] = [];
    const invented = Uint8Array.from({ length: block.positions.length / 3 }, (_, v) =>
      block.positions[3 * v] > 0 ? 1 : 0,
    );
    const { figures } = await run({ ...painted, invented }, { range: 'ring', directions: 4, elevation: 0 }, notes);
    expect(figures.invented).toBeCloseTo(1, 1);
    expect(notes.join(' ')).toMatch(/was invented, no scan saw it/);
  });

  test('another size than measured, two pieces, an inside-out one: refused with what to do', async () => {
    await expect(run(painted, { longest: 66 })).rejects.toThrow(
      /60.00 mm, the object's 66.00 mm.*set the scale at Check/,
    );
    const two: TriangleMesh = {
      positions: Float32Array.from([...block.positions, ...block.positions.map((v) => v + 100)]),
      indices: Uint32Array.from([...block.indices, ...block.indices.map((v) => v + block.positions.length / 3)]),
    };
    await expect(run(two)).rejects.toThrow(/in 2 pieces.*Mend/);
    await expect(run({ ...block, indices: block.indices.toReversed() })).rejects.toThrow(/inside out/);
  });

  test('too many triangles are made fewer, its colours kept', async () => {
    const { outputs, figures } = await run(painted, { triangles: 500 });
    expect(figures.triangles).toBeLessThanOrEqual(500);
    const [read] = await readScanFiles(unzipSync(outputs.file.bytes)['mesh.glb'], 'mesh.glb');
    expect(Math.max(...read.colors!)).toBe(190);
  });
});

describe('as reference for CAD', () => {
  /** A drum of Ø 30, 50 high, its middle 7 beside the origin. */
  const outline = [
    ...Array.from({ length: 15 }, (_, r) => new Vector2(r, 0)),
    ...Array.from({ length: 51 }, (_, z) => new Vector2(15, z)),
    ...Array.from({ length: 15 }, (_, r) => new Vector2(14 - r, 50)),
  ];
  const drum = meshOf(new LatheGeometry(outline, 192).rotateX(Math.PI / 2).translate(7, 0, 0));
  const run = (values: object, extra: object = {}, notes: string[] = []) =>
    deliverCad.run({ mesh: drum, ...extra }, parseParams(DeliverCadParams, values), context(notes));

  test('mesh, shapes with sizes and sections in true scale', async () => {
    const { outputs, figures } = await run({ name: 'Drum', every: 20 });
    const files = unzipSync(outputs.file.bytes);
    const sheet = JSON.parse(textOf(files['shapes.json'])) as {
      shapes: { name: string; kind: string; at: number[]; axis: number[]; radius?: number; picked: boolean }[];
      sections: { name: string; at: number[]; area: number; length: number }[];
    };
    expect(sheet.shapes.map((s) => s.name).sort()).toEqual(['cylinder 1', 'plane 1', 'plane 2']);
    const side = sheet.shapes.find((s) => s.kind === 'cylinder')!;
    expect(side.radius).toBeCloseTo(15, 2);
    expect([side.at[0], side.at[1]].map((c) => Math.round(c * 100) / 100 + 0)).toEqual([7, 0]);
    expect(Math.abs(side.axis[2])).toBeCloseTo(1, 6);
    // The area of a polygon of 192 corners.
    const area = 96 * 15 ** 2 * Math.sin((2 * Math.PI) / 192);
    expect(sheet.sections.map((s) => [s.name, s.at[2]])).toEqual([
      ['z 20', 20],
      ['z 40', 40],
    ]);
    for (const s of sheet.sections) expect(s.area / area).toBeCloseTo(1, 5);
    expect(textOf(files['sections/001 z 20.svg'])).toContain('width="40mm"');
    expect(textOf(files['shapes.dxf'])).toContain('CYLINDER_1');
    const [mesh] = await readScanFiles(files['Drum.stl'], 'Drum.stl');
    expect(mesh.indices!.length).toBe(drum.indices.length);
    expect([figures.shapes, figures.sections, figures.picked]).toEqual([3, 2, 0]);
    expect(figures.covered).toBeGreaterThan(0.9);
  });

  test('what was picked keeps its name and is not found a second time; picked sections are cut', async () => {
    const asked = [
      { name: 'Drum wall', note: '', kind: 'shape' as const, places: [[22, 0, 25]], shapes: ['cylinder' as const] },
      { name: 'Halves', note: '', kind: 'section' as const, places: [[7, 0, 25]], direction: [1, 0, 0] },
    ];
    const { outputs, figures } = await run({ every: 0 }, { dimensions: { asked, found: [] } });
    const files = unzipSync(outputs.file.bytes);
    const sheet = JSON.parse(textOf(files['shapes.json'])) as {
      shapes: { name: string; kind: string }[];
      sections: { area: number }[];
    };
    expect(sheet.shapes.filter((s) => s.kind === 'cylinder').map((s) => s.name)).toEqual(['Drum wall']);
    expect(sheet.sections[0].area).toBeCloseTo(30 * 50, 0);
    expect([figures.picked, figures.sections]).toEqual([1, 1]);
    expect((await run({ every: 0, shapes: 0 })).figures.shapes).toBe(0);
  });

  test('open outlines, too many sections and a piece off the ground are told', async () => {
    const notes: string[] = [];
    const open = { ...drum, indices: drum.indices.slice(300) };
    const off = { ...open, positions: open.positions.map((v, i) => (i % 3 === 2 ? v - 9 : v)) };
    const { figures } = await run({ every: 0.2, shapes: 0 }, { mesh: off }, notes);
    expect(figures.sections).toBe(200);
    expect(notes.join(' ')).toMatch(/does not stand on the ground.*249 sections.*open outlines/s);
  });
});

describe('for rendering', () => {
  const run = (inputs: object, values: object = {}) =>
    deliverRender.run({ mesh: block, ...inputs }, parseParams(DeliverRenderParams, values), context());

  test('without a light model, or with one that is too heavy, nothing is written', async () => {
    await expect(run({})).rejects.toThrow(/no light model yet.*Texture/);
    const params = parseParams(TextureBakeParams, { triangles: 500, mapSize: 256 });
    const { light } = (await textureBake.run({ mesh: block }, params, context())).outputs;
    await expect(run({ light }, { triangles: 100 })).rejects.toThrow(/more than 100/);
    const { outputs, figures } = await run({ light }, { name: 'Block' });
    const files = Object.keys(unzipSync(outputs.file.bytes));
    expect(files).toEqual(
      expect.arrayContaining(['Block.obj', 'Block.mtl', 'Block.png', 'Block_normal.png', 'maps.json']),
    );
    expect(figures.maps).toMatch(/^colour; /);
    expect(figures.size).toBeCloseTo(60, 2);
    const glb = await run({ light }, { format: 'glb' });
    expect((await validateBytes(glb.outputs.file.bytes)).issues.numErrors).toBe(0);
  });
});
