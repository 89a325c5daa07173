import { writePly } from '@amber-knit/core/io';
import { handWheel, simulateSingleViews, truthMesh } from '@amber-knit/demo';

/**
 * Scan files of the hand wheel painted evenly all over: nothing tells its five spokes apart.
 * @param {number} views
 * @param {number} points of each view, about
 */
export function evenWheelFiles(views, points) {
  const even = () => /** @type {[number, number, number]} */ ([64, 88, 78]);
  return simulateSingleViews(truthMesh(handWheel), even, { views, setups: 2, tables: false, points }).map((v) => ({
    name: `${v.name}.ply`,
    mimeType: 'application/octet-stream',
    buffer: Buffer.from(writePly(v.cloud)),
  }));
}
