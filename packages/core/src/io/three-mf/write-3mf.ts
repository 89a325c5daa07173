import { zipSync } from 'fflate';
import { vertexCount, type TexturedMesh, type TriangleMesh } from '../../geometry/triangle-mesh.js';
import { encodeColorPng } from '../../stored/color-image.js';
import { TextBytes, xmlText } from '../text/text-bytes.js';

/** Names of lengths in 3MF, by ours. */
const UNIT_NAMES = { mm: 'millimeter', cm: 'centimeter', m: 'meter', in: 'inch' } as const;

const CORE = 'http://schemas.microsoft.com/3dmanufacturing/core/2015/02';
const MATERIALS = 'http://schemas.microsoft.com/3dmanufacturing/material/2015/02';
const PACKAGE = 'http://schemas.openxmlformats.org/package/2006';
export const MODEL_PATH = '3D/3dmodel.model';
const MAP_PATH = '3D/Textures/map.png';

/**
 * Writes a 3MF package: one object with its triangles, with its map or the colours of its vertices where it has them.
 * Coordinates are in `unit` already. Triangles that name a vertex twice are left out: the standard forbids them. Whether the
 * mesh is closed and faces outwards, as it asks of what is to be printed, is for the caller to see to.
 *
 * Source: 3MF Consortium, 3D Manufacturing Format, Core Specification 1.3, and Materials and Properties Extension 1.2.1.
 */
export function write3mf(
  mesh: TriangleMesh | TexturedMesh,
  name: string,
  unit: keyof typeof UNIT_NAMES = 'mm',
): Uint8Array {
  const textured = 'cornerUvs' in mesh;
  const colors = textured ? undefined : mesh.colors && paletteOf(mesh.colors);
  const out = new TextBytes();
  const lang = '<?xml version="1.0" encoding="UTF-8"?>\n';
  const extended = textured || colors !== undefined;
  out.add(
    `${lang}<model unit="${UNIT_NAMES[unit]}" xml:lang="en" xmlns="${CORE}"${extended ? ` xmlns:m="${MATERIALS}"` : ''}>\n`,
  );
  out.add(`<metadata name="Title">${xmlText(name)}</metadata>\n<metadata name="Application">Amber Knit</metadata>\n`);
  out.add('<resources>\n');
  if (textured) addMap(mesh, out);
  if (colors) {
    out.add('<m:colorgroup id="1">\n');
    for (const c of colors.palette) out.add(`<m:color color="#${c.toString(16).padStart(6, '0').toUpperCase()}"/>\n`);
    out.add('</m:colorgroup>\n');
  }
  out.add(
    `<object id="3" name="${xmlText(name)}" type="model"${textured ? ' pid="2" pindex="0"' : colors ? ' pid="1" pindex="0"' : ''}>\n`,
  );
  addMesh(mesh, textured ? cornerProperties : colors ? ofVertices(colors.entry) : undefined, out);
  out.add('</object>\n</resources>\n<build><item objectid="3"/></build>\n</model>\n');
  const text = (s: string): Uint8Array => new TextEncoder().encode(s);
  const relation = (id: string, target: string, type: string): string =>
    `<Relationship Id="${id}" Target="/${target}" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/${type}"/>`;
  const relations = (inner: string): string =>
    `${lang}<Relationships xmlns="${PACKAGE}/relationships">${inner}</Relationships>\n`;
  return zipSync({
    '[Content_Types].xml': text(
      `${lang}<Types xmlns="${PACKAGE}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>${textured ? '<Default Extension="png" ContentType="image/png"/>' : ''}</Types>\n`,
    ),
    '_rels/.rels': text(relations(relation('rel0', MODEL_PATH, '3dmodel'))),
    [MODEL_PATH]: [out.toBytes(), { level: 6 }],
    ...(textured
      ? {
          '3D/_rels/3dmodel.model.rels': text(relations(relation('rel1', MAP_PATH, '3dtexture'))),
          [MAP_PATH]: [
            encodeColorPng(mesh.texture),
            // Packed already.
            { level: 0 },
          ],
        }
      : {}),
  });
}

/** Colours that occur, as numbers, and which of them each vertex has. */
function paletteOf(colors: Uint8Array): { palette: number[]; entry: Uint32Array } {
  const places = new Map<number, number>();
  const entry = new Uint32Array(colors.length / 3);
  for (let v = 0; v < entry.length; v++) {
    const color = (colors[3 * v] << 16) | (colors[3 * v + 1] << 8) | colors[3 * v + 2];
    let at = places.get(color);
    if (at === undefined) {
      at = places.size;
      places.set(color, at);
    }
    entry[v] = at;
  }
  return { palette: [...places.keys()], entry };
}

/** The picture and the places on it of all corners, in their order. */
function addMap({ cornerUvs: uv }: TexturedMesh, out: TextBytes): void {
  out.add(`<m:texture2d id="1" path="/${MAP_PATH}" contenttype="image/png"/>\n<m:texture2dgroup id="2" texid="1">\n`);
  for (let i = 0; i < uv.length; i += 2)
    out.add(`<m:tex2coord u="${uv[i].toFixed(6)}" v="${uv[i + 1].toFixed(6)}"/>\n`);
  out.add('</m:texture2dgroup>\n');
}

/** The properties of a triangle's corners: by their half-edges for a map, by their vertices for colours. */
type Properties = (triangle: number, indices: Uint32Array) => string;

const cornerProperties: Properties = (t) => ` pid="2" p1="${3 * t}" p2="${3 * t + 1}" p3="${3 * t + 2}"`;
const ofVertices =
  (entry: Uint32Array): Properties =>
  (t, i) =>
    ` pid="1" p1="${entry[i[3 * t]]}" p2="${entry[i[3 * t + 1]]}" p3="${entry[i[3 * t + 2]]}"`;

function addMesh(mesh: TriangleMesh, properties: Properties | undefined, out: TextBytes): void {
  const { positions: p, indices } = mesh;
  out.add('<mesh>\n<vertices>\n');
  for (let v = 0; v < vertexCount(mesh); v++)
    out.add(`<vertex x="${p[3 * v]}" y="${p[3 * v + 1]}" z="${p[3 * v + 2]}"/>\n`);
  out.add('</vertices>\n<triangles>\n');
  for (let t = 0; t < indices.length / 3; t++) {
    const [a, b, c] = [indices[3 * t], indices[3 * t + 1], indices[3 * t + 2]];
    if (a === b || b === c || c === a) continue;
    out.add(`<triangle v1="${a}" v2="${b}" v3="${c}"${properties?.(t, indices) ?? ''}/>\n`);
  }
  out.add('</triangles>\n</mesh>\n');
}
