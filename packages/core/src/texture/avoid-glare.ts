import { vertexCount, type NormalMesh } from '../geometry/triangle-mesh.js';
import type { FrameView } from './frame-views.js';
import { lampGlare, sensorGlare, type LightModel } from './light-model.js';

/** Where a surface may shine. */
const MISTRUST = 0.95;

/** Lowers the quality of views where a lamp of the room or at the sensor may shine back: others, that see the place from aside, count for more. */
export function avoidGlare(mesh: NormalMesh, views: readonly FrameView[], lamps: LightModel['lamps']): void {
  const n = vertexCount(mesh);
  for (const view of views) {
    const lamp = lamps[view.room]?.direction;
    for (let v = 0; v < n; v++) {
      if (view.quality[v] === 0) continue;
      const own = sensorGlare(view, mesh, v);
      const far = lamp ? lampGlare(view, lamp, mesh, v) : 0;
      const clear = (1 - MISTRUST * own) * (1 - MISTRUST * far);
      view.quality[v] = Math.max(1, Math.round(view.quality[v] * Math.sqrt(clear)));
    }
  }
}
