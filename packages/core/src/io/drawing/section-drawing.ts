import { TextBytes, xmlText } from '../text/text-bytes.js';

/** Lines of a drawing in true scale, mm: x to the right, y up. */
export interface DrawingLine {
  /** 2k. */
  points: Float64Array;
  closed: boolean;
  /** Lines of one layer belong together. */
  layer: string;
}

/** Digits behind the point, mm: a tenth of what any scanner tells apart. */
const DIGITS = 4;
/** Free space around an SVG drawing, mm, and the width of its lines. */
const MARGIN = 5;
const STROKE = 0.25;
/** Colours of layers in SVG, in their order; told apart by colour-blind people too. */
const COLORS = ['#1b1b1b', '#0072b2', '#d55e00', '#009e73', '#cc79a7'];

const text = (v: number): string => String(Number(v.toFixed(DIGITS)));

/**
 * A drawing as SVG whose page is as large as what it shows: printed at 100 % it is in true scale. One group a layer.
 * Source: W3C (2011), Scalable Vector Graphics 1.1.
 */
export function writeSvgDrawing(lines: readonly DrawingLine[], title: string): Uint8Array {
  const { x0, y0, x1, y1 } = boundsOf(lines);
  const [width, height] = [x1 - x0 + 2 * MARGIN, y1 - y0 + 2 * MARGIN];
  const out = new TextBytes();
  out.add(
    `<svg xmlns="http://www.w3.org/2000/svg" width="${text(width)}mm" height="${text(height)}mm" viewBox="${text(x0 - MARGIN)} ${text(-y1 - MARGIN)} ${text(width)} ${text(height)}">\n`,
  );
  out.add(`<title>${xmlText(title)}</title>\n<desc>True scale; user units are millimetres.</desc>\n`);
  layersOf(lines).forEach((layer, i) => {
    out.add(
      `<g id="${xmlText(layer.replace(/\W+/g, '-'))}" fill="none" stroke="${COLORS[i % COLORS.length]}" stroke-width="${STROKE}" stroke-linejoin="round">\n`,
    );
    for (const { points, closed } of lines.filter((l) => l.layer === layer)) {
      out.add('<path d="');
      for (let k = 0; k < points.length; k += 2)
        out.add(`${k === 0 ? 'M' : 'L'}${text(points[k])} ${text(-points[k + 1])}`);
      out.add(closed ? 'Z"/>\n' : '"/>\n');
    }
    out.add('</g>\n');
  });
  out.add('</svg>\n');
  return out.toBytes();
}

/**
 * A drawing as DXF of version R12 (AC1009), which every reader knows: polylines in millimetres, one layer each as given.
 * Source: Autodesk (1992), AutoCAD Release 12 Customization Manual, chapter 11, Drawing interchange files.
 */
export function writeDxfDrawing(lines: readonly DrawingLine[]): Uint8Array {
  const { x0, y0, x1, y1 } = boundsOf(lines);
  const out = new TextBytes();
  const group = (...pairs: [code: number, value: string | number][]): void => {
    for (const [code, value] of pairs) out.add(`${code}\n${typeof value === 'number' ? text(value) : value}\n`);
  };
  group([0, 'SECTION'], [2, 'HEADER'], [9, '$ACADVER'], [1, 'AC1009'], [9, '$INSUNITS'], [70, '4']);
  group([9, '$EXTMIN'], [10, x0], [20, y0], [30, 0], [9, '$EXTMAX'], [10, x1], [20, y1], [30, 0], [0, 'ENDSEC']);
  const layers = layersOf(lines).map(layerName);
  group([0, 'SECTION'], [2, 'TABLES'], [0, 'TABLE'], [2, 'LAYER'], [70, String(layers.length)]);
  for (const name of layers) group([0, 'LAYER'], [2, name], [70, '0'], [62, '7'], [6, 'CONTINUOUS']);
  group([0, 'ENDTAB'], [0, 'ENDSEC'], [0, 'SECTION'], [2, 'ENTITIES']);
  for (const { points, closed, layer } of lines) {
    const on: [number, string] = [8, layerName(layer)];
    group([0, 'POLYLINE'], on, [66, '1'], [70, closed ? '1' : '0'], [10, 0], [20, 0], [30, 0]);
    for (let k = 0; k < points.length; k += 2) group([0, 'VERTEX'], on, [10, points[k]], [20, points[k + 1]], [30, 0]);
    group([0, 'SEQEND'], on);
  }
  group([0, 'ENDSEC'], [0, 'EOF']);
  return out.toBytes();
}

const layersOf = (lines: readonly DrawingLine[]): string[] => [...new Set(lines.map((l) => l.layer))];

/** R12 takes capitals, digits and a few signs in names of layers, at most 31. */
const layerName = (layer: string): string =>
  layer
    .toUpperCase()
    .replace(/[^A-Z0-9_-]+/g, '_')
    .slice(0, 31) || '0';

function boundsOf(lines: readonly DrawingLine[]): { x0: number; y0: number; x1: number; y1: number } {
  const b = { x0: Infinity, y0: Infinity, x1: -Infinity, y1: -Infinity };
  for (const { points } of lines) {
    for (let k = 0; k < points.length; k += 2) {
      b.x0 = Math.min(b.x0, points[k]);
      b.x1 = Math.max(b.x1, points[k]);
      b.y0 = Math.min(b.y0, points[k + 1]);
      b.y1 = Math.max(b.y1, points[k + 1]);
    }
  }
  return b.x0 <= b.x1 ? b : { x0: 0, y0: 0, x1: 0, y1: 0 };
}
