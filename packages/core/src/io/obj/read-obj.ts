import { GeometryError } from '../../runtime/geometry-error.js';
import { firstBytes, linesOf, type Bytes } from '../byte-source.js';
import { GrowingArray } from '../../runtime/growing-array.js';
import { assertCount, cleanScanFile, type ScanFile } from '../scan-file.js';

/**
 * Wavefront OBJ: vertices (with colours after the coordinates, where present), map coordinates, faces of any number of
 * corners with positive or negative references, names of materials. Names of material libraries go to `companions`.
 * Source: Wavefront Technologies (1995), Object files, appendix B1 of the Advanced Visualizer manual.
 * @throws GeometryError `corrupt-file` with the line's number, `empty-input`
 */
export function readObj(bytes: Bytes): ScanFile {
  if (firstBytes(bytes, 2048).includes(0))
    throw new GeometryError('corrupt-file', 'This is not an OBJ file: it holds binary data.');
  const reader = new ObjReader();
  for (const line of joinedLines(bytes)) reader.line(line);
  return cleanScanFile(reader.finish());
}

/** Lines of the file; a backslash at the end carries a line on. */
function* joinedLines(bytes: Bytes): Generator<string> {
  let carried = '';
  for (const line of linesOf(bytes)) {
    if (line.endsWith('\\') && carried.length < 1 << 16) {
      carried += `${line.slice(0, -1)} `;
      continue;
    }
    yield carried + line;
    carried = '';
  }
  if (carried) yield carried;
}

class ObjReader {
  private readonly positions = new GrowingArray(Float32Array);
  private readonly colors = new GrowingArray(Uint8Array);
  private readonly uvs = new GrowingArray(Float32Array);
  private readonly indices = new GrowingArray(Uint32Array);
  private readonly cornerUvs = new GrowingArray(Float32Array);
  private readonly companions: string[] = [];
  private readonly materials: { from: number; name: string }[] = [];
  private hasUvs = true;
  private number = 0;
  private known = 0;

  line(line: string): void {
    this.number++;
    const words = line.trim().split(/\s+/);
    switch (words[0]) {
      case 'v':
        return this.vertex(words);
      case 'vt':
        this.known++;
        return this.uvs.push(Number(words[1]), Number(words[2] ?? 0));
      case 'f':
        return this.face(words);
      case 'mtllib':
        this.companions.push(words.slice(1).join(' '));
        return;
      case 'usemtl':
        this.materials.push({ from: this.indices.length / 3, name: words.slice(1).join(' ') });
        return;
    }
  }

  private vertex(words: string[]): void {
    this.known++;
    if (words.length < 4) throw this.fault('a vertex needs three coordinates.');
    this.positions.push(Number(words[1]), Number(words[2]), Number(words[3]));
    if (words.length >= 7) this.colors.push(byteOf(words[4]), byteOf(words[5]), byteOf(words[6]));
    if ((this.positions.length & 0xfffff) === 0) assertCount(this.positions.length / 3, 'points');
  }

  private face(words: string[]): void {
    this.known++;
    if (words.length < 4) throw this.fault('a face needs three corners.');
    const points: number[] = [];
    const places: number[] = [];
    for (let w = 1; w < words.length; w++) {
      const [v, t] = words[w].split('/').map((x) => (x ? Number(x) : NaN));
      const id = v < 0 ? this.positions.length / 3 + v : v - 1;
      if (!Number.isInteger(id) || id < 0) throw this.fault(`face corner "${words[w].slice(0, 40)}" can't be read.`);
      points.push(id);
      places.push(t < 0 ? this.uvs.length / 2 + t : t - 1);
    }
    for (let k = 1; k + 1 < points.length; k++) {
      for (const c of [0, k, k + 1]) {
        this.indices.push(points[c]);
        const uv = places[c];
        if (Number.isInteger(uv) && uv >= 0 && 2 * uv + 1 < this.uvs.length)
          this.cornerUvs.push(this.uvs.at(2 * uv), this.uvs.at(2 * uv + 1));
        else this.hasUvs = false;
      }
    }
  }

  private fault(text: string): GeometryError {
    return new GeometryError('corrupt-file', `Line ${this.number}: ${text}`);
  }

  finish(): ScanFile {
    if (this.known === 0)
      throw new GeometryError('corrupt-file', 'This is not an OBJ file: it holds no vertices and no faces.');
    const meshed = this.indices.length > 0;
    return {
      format: 'obj',
      positions: this.positions.toArray(),
      ...(this.colors.length === this.positions.length ? { colors: this.colors.toArray() } : {}),
      ...(meshed ? { indices: this.indices.toArray() } : {}),
      ...(meshed && this.hasUvs ? { cornerUvs: this.cornerUvs.toArray() } : {}),
      companions: this.companions,
      materials: this.materials,
      notes: [],
    };
  }
}

const byteOf = (share: string): number => Math.max(0, Math.min(255, Math.round(Number(share) * 255)));
