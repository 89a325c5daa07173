import { writePly } from '@amber-knit/core/io';
import { galleyJug, truthMesh } from '@amber-knit/demo';

/** Two files of the jug's surface that need asking about: a PLY in metres, and a table that begins with a quality. */
export function unsureFiles() {
  const { positions } = truthMesh(galleyJug, 2.5);
  const rows = ['q;a;b;c'];
  for (let i = 0; i < positions.length; i += 3) {
    if (positions[i + 2] < 90) continue;
    const cells = [0.9 + (i % 7) / 100, positions[i], positions[i + 1], positions[i + 2]];
    rows.push(cells.map((v) => v.toFixed(3).replace('.', ',')).join(';'));
  }
  const file = (name, bytes) => ({ name, mimeType: 'application/octet-stream', buffer: Buffer.from(bytes) });
  return [file('ear.ply', writePly({ positions: positions.map((v) => v / 1000) })), file('lip.csv', rows.join('\n'))];
}
