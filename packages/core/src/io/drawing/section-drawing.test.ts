import dxfParser from 'dxf-parser';
import { SaxesParser } from 'saxes';
import { writeDxfDrawing, writeDxfLines, writeSvgDrawing, type DrawingLine } from './section-drawing.js';

// The package's types say that its default is the module, its code that it is the class.
const DxfParser = dxfParser as unknown as typeof dxfParser.DxfParser;

const lines: DrawingLine[] = [
  { layer: 'Section 1', closed: true, points: Float64Array.of(-10, -5, 30, -5, 30, 12.3456, -10, 12.3456) },
  { layer: 'Section 2', closed: false, points: Float64Array.of(0, 0, 5, 2.5) },
];
const said = (bytes: Uint8Array): string => new TextDecoder().decode(bytes);

test('DXF is read by another reader with its units, layers, and every place', () => {
  const dxf = new DxfParser().parseSync(said(writeDxfDrawing(lines)))!;
  expect(dxf.header.$INSUNITS).toBe(4);
  expect(Object.keys(dxf.tables.layer.layers)).toEqual(['SECTION_1', 'SECTION_2']);
  const shapes = dxf.entities as unknown as {
    type: string;
    layer: string;
    shape: boolean;
    vertices: { x: number; y: number }[];
  }[];
  expect(shapes.map((s) => [s.type, s.layer, s.shape])).toEqual([
    ['POLYLINE', 'SECTION_1', true],
    ['POLYLINE', 'SECTION_2', false],
  ]);
  expect(shapes[0].vertices.map(({ x, y }) => [x, y])).toEqual([
    [-10, -5],
    [30, -5],
    [30, 12.3456],
    [-10, 12.3456],
  ]);
});

test('lines in space keep their heights', () => {
  const axis: DrawingLine = { layer: 'Boss 1', closed: false, points: Float64Array.of(1, 2, -3.5, 1, 2, 44) };
  const dxf = new DxfParser().parseSync(said(writeDxfLines([axis])))!;
  const [line] = dxf.entities as unknown as {
    is3dPolyline: boolean;
    vertices: { x: number; y: number; z: number }[];
  }[];
  expect(line.is3dPolyline).toBe(true);
  expect(line.vertices.map(({ x, y, z }) => [x, y, z])).toEqual([
    [1, 2, -3.5],
    [1, 2, 44],
  ]);
  expect(dxf.header.$EXTMAX).toMatchObject({ x: 1, y: 2, z: 44 });
});

test('SVG is well formed, as large as what it shows, and the right way up', () => {
  const tags: { name: string; attributes: Record<string, string> }[] = [];
  const parser = new SaxesParser();
  parser.on('opentag', ({ name, attributes }) => tags.push({ name, attributes: attributes as Record<string, string> }));
  parser.on('error', (e) => {
    throw e;
  });
  parser.write(said(writeSvgDrawing(lines, 'Jug <cut> & "shut"'))).close();
  const svg = tags[0].attributes;
  expect([svg.width, svg.height]).toEqual(['50mm', '27.3456mm']);
  expect(svg.viewBox).toBe('-15 -17.3456 50 27.3456');
  const paths = tags.filter((t) => t.name === 'path').map((t) => t.attributes.d);
  expect(paths).toEqual(['M-10 5L30 5L30 -12.3456L-10 -12.3456Z', 'M0 0L5 -2.5']);
  expect(tags.filter((t) => t.name === 'g').map((t) => t.attributes.id)).toEqual(['Section-1', 'Section-2']);
});

test('a drawing of nothing is a drawing still', () => {
  expect(said(writeSvgDrawing([], 'empty'))).toContain('width="10mm"');
  expect(new DxfParser().parseSync(said(writeDxfDrawing([])))!.entities).toEqual([]);
});
