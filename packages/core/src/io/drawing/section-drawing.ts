import { TextBytes, xmlText } from '../text/text-bytes.js';

/** Lines of a drawing in true scale, mm: x to the right, y up. */
export interface DrawingLine {
  /** 2k; of lines in space 3k. */
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
  const [[x0, y0], [x1, y1]] = extentOf(lines, 2);
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
  return dxfOf(lines, 2);
}

/** Lines in space, whose points are 3k, as DXF: what `writeDxfDrawing` does for a plane. */
export function writeDxfLines(lines: readonly DrawingLine[]): Uint8Array {
  return dxfOf(lines, 3);
}

/** @param stride numbers a point has */
function dxfOf(lines: readonly DrawingLine[], stride: 2 | 3): Uint8Array {
  const [low, high] = extentOf(lines, stride);
  const out = new TextBytes();
  const group = (...pairs: [code: number, value: string | number][]): void => {
    for (const [code, value] of pairs) out.add(`${code}\n${typeof value === 'number' ? text(value) : value}\n`);
  };
  const place = (p: ArrayLike<number>, at = 0): [number, number][] => [
    [10, p[at]],
    [20, p[at + 1]],
    [30, stride === 3 ? p[at + 2] : 0],
  ];
  group([0, 'SECTION'], [2, 'HEADER'], [9, '$ACADVER'], [1, 'AC1009'], [9, '$INSUNITS'], [70, '4']);
  group([9, '$EXTMIN'], ...place(low), [9, '$EXTMAX'], ...place(high), [0, 'ENDSEC']);
  const layers = layersOf(lines).map(layerName);
  group([0, 'SECTION'], [2, 'TABLES'], [0, 'TABLE'], [2, 'LAYER'], [70, String(layers.length)]);
  for (const name of layers) group([0, 'LAYER'], [2, name], [70, '0'], [62, '7'], [6, 'CONTINUOUS']);
  group([0, 'ENDTAB'], [0, 'ENDSEC'], [0, 'SECTION'], [2, 'ENTITIES']);
  // Of a polyline: 1 for a closed one, 8 for one in space; its vertices there say 32.
  const inSpace = stride === 3;
  for (const { points, closed, layer } of lines) {
    const on: [number, string] = [8, layerName(layer)];
    const flags = Number(closed) + (inSpace ? 8 : 0);
    group([0, 'POLYLINE'], on, [66, '1'], [70, String(flags)], [10, 0], [20, 0], [30, 0]);
    for (let k = 0; k < points.length; k += stride)
      group([0, 'VERTEX'], on, ...place(points, k), ...(inSpace ? [[70, '32'] as [number, string]] : []));
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

/** The least and the greatest of each coordinate; the origin if there are no lines. */
function extentOf(lines: readonly DrawingLine[], stride: number): [low: number[], high: number[]] {
  const low = new Array<number>(stride).fill(Infinity);
  const high = new Array<number>(stride).fill(-Infinity);
  for (const { points } of lines) {
    for (let k = 0; k < points.length; k++) {
      low[k % stride] = Math.min(low[k % stride], points[k]);
      high[k % stride] = Math.max(high[k % stride], points[k]);
    }
  }
  return low[0] <= high[0] ? [low, high] : [low.fill(0), high.fill(0)];
}
