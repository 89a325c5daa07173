import { pointCount, type PointCloud, type TriangleMesh } from '@amber-knit/core/geometry';
import {
  createRandom,
  invertRigid,
  lookAt,
  transformPoint,
  transformPoints,
  type Random,
  type Vec3,
} from '@amber-knit/core/math';
import { estimateNormals, removeStrayPoints } from '@amber-knit/core/pointcloud';
import { createRunContext } from '@amber-knit/core/runtime';
import { TriangleBvh, type SurfaceHit } from '@amber-knit/core/spatial';
import {
  captureFrame,
  disc,
  galleyJug,
  glossy,
  handWheel,
  HAND_HELD_DEPTH_CAMERA,
  joinMeshes,
  oarFork,
  plankColor,
  ridingLantern,
  truthMesh,
  turnedGauge,
} from '@amber-knit/demo';

const OBJECTS = [galleyJug, handWheel, oarFork, turnedGauge, ridingLantern];
const VIEWS = 3;
/** Points farther than this from the true surface are strays: four times the sensor's noise and more, mm. */
const OFF = 1.5;
const DUST = 150;
/** Radius of the table, mm. */
const TABLE = 130;

/**
 * Removes stray points with the defaults from single raw depth frames (flying pixels and all) with dust added, where the
 * true surface is known. Recall: strays that were removed; precision: removed points that were strays.
 */
export function strayTrial(): void {
  for (const onTable of [false, true]) {
    console.log(onTable ? '\non a table, whose points are good points too' : 'by itself');
    console.log(`strays (more than ${OFF} mm off)   points   strays   recall   precision   good points lost`);
    trialOf((object) => (onTable ? joinMeshes([object, disc(TABLE)]).mesh : object));
  }
}

function trialOf(inScene: (object: TriangleMesh) => TriangleMesh): void {
  let [all, removed, found, points] = [0, 0, 0, 0];
  for (const object of OBJECTS) {
    const mesh = inScene(truthMesh(object, 1.5));
    const bvh = new TriangleBvh(mesh);
    const hit: SurfaceHit = { triangle: 0, x: 0, y: 0, z: 0, squaredDistance: 0, v: 0, w: 0 };
    for (let view = 0; view < VIEWS; view++) {
      const random = createRandom(100 + view);
      const { cloud, viewpoint } = rawFrame(mesh, view, random);
      const p = cloud.positions;
      const isStray = Uint8Array.from({ length: pointCount(cloud) }, (_, i) =>
        bvh.closest(p[3 * i], p[3 * i + 1], p[3 * i + 2], OFF, hit) ? 0 : 1,
      );
      const ctx = createRunContext();
      const normals = estimateNormals(cloud, [viewpoint], {}, ctx).normals;
      const { keep } = removeStrayPoints({ ...cloud, normals }, [viewpoint], {}, ctx);
      const strays = isStray.reduce((a, b) => a + b, 0);
      let [gone, right] = [0, 0];
      keep.forEach((k, i) => {
        if (k) return;
        gone++;
        right += isStray[i];
      });
      const percent = (a: number, b: number): string => `${((100 * a) / Math.max(1, b)).toFixed(1)} %`.padStart(9);
      console.log(
        `${object.name.padEnd(14)} view ${view + 1}${String(keep.length).padStart(19)}${String(strays).padStart(9)}${percent(right, strays)}${percent(right, gone).padStart(12)}${percent(gone - right, keep.length - strays).padStart(15)}`,
      );
      all += strays;
      removed += gone;
      found += right;
      points += keep.length;
    }
  }
  console.log(
    `together: recall ${((100 * found) / all).toFixed(1)} %, precision ${((100 * found) / removed).toFixed(1)} %, good points lost ${((100 * (removed - found)) / (points - all)).toFixed(2)} %`,
  );
}

/** All pixels of one frame as points in the object's frame, with dust between sensor and object. */
function rawFrame(mesh: TriangleMesh, view: number, random: Random): { cloud: PointCloud; viewpoint: Vec3 } {
  const around = (2 * Math.PI * (view + 0.3)) / VIEWS;
  const eye: Vec3 = [330 * Math.cos(around), 330 * Math.sin(around), 180 + 90 * view];
  const pose = lookAt(eye, [0, 0, 45], [0, 0, 1]);
  const scene = { mesh, color: (x: number) => plankColor(x), material: () => glossy(0) };
  const { depth, camera } = captureFrame(scene, pose, HAND_HELD_DEPTH_CAMERA, random, '', false);
  const seen: number[] = [];
  for (let v = 0; v < camera.height; v++) {
    for (let u = 0; u < camera.width; u++) {
      const z = depth[v * camera.width + u];
      if (z > 0) seen.push(((u - camera.cx) / camera.fx) * z, ((v - camera.cy) / camera.fy) * z, z);
    }
  }
  const middle = transformPoint(invertRigid(pose), 0, 0, 60);
  for (let k = 0; k < DUST; k++) {
    const at = 0.35 + 0.5 * random();
    seen.push(...middle.map((m) => at * m + 120 * at * (random() - 0.5)));
  }
  return { cloud: { positions: transformPoints(pose, Float32Array.from(seen)) }, viewpoint: eye };
}
