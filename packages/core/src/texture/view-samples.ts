import { vertexCount, type NormalMesh } from '../geometry/triangle-mesh.js';
import { createRandom } from '../math/random.js';
import type { CoarsePicture } from './coarse-picture.js';
import { weightOfQuality, type FrameView } from './frame-views.js';
import { harmonics, sensorGlare, sensorTerm } from './light-model.js';

/** What several views see of the same places of a surface. */
export interface ViewSamples {
  places: number;
  /** Vertex of each place, and its first sample; one more than places. */
  vertex: Uint32Array;
  start: Uint32Array;
  /** Nine harmonics of the normal at each place. */
  harmonics: Float64Array;
  /** Of each sample (those of one place lie together by room): its view, weight (0–1), the logarithm of its light (three channels), what the lamp at the sensor does. */
  view: Uint16Array;
  weight: Float32Array;
  logLight: Float32Array;
  sensor: Float32Array;
}

/** Most samples of one place. */
const MOST = 9;
/** Where a surface faces the sensor its lamp may shine back: so much less that counts. */
const MISTRUST = 0.97;
/** Light below and above which a picture tells nothing: noise, and what is burnt out. */
const DARKEST = 0.004;
const BRIGHTEST = 0.9;

/**
 * Samples of about `wanted` vertices that at least two views see, evenly among them.
 * @param reach distance at which the lamp at the sensor counts 1, mm
 */
export function sampleViews(
  mesh: NormalMesh,
  views: readonly FrameView[],
  small: readonly CoarsePicture[],
  wanted: number,
  reach: number,
  seed = 1,
): ViewSamples {
  const n = vertexCount(mesh);
  const random = createRandom(seed);
  const step = Math.max(1, n / wanted);
  const vertex: number[] = [];
  const start: number[] = [];
  const view: number[] = [];
  const weight: number[] = [];
  const logLight: number[] = [];
  const sensor: number[] = [];
  const light = new Float64Array(3);
  const seeing: number[] = [];
  const { positions: p, normals } = mesh;
  for (let at = random() * step; at < n; at += step) {
    const v = Math.floor(at);
    seeing.length = 0;
    for (let i = 0; i < views.length; i++) if (views[i].quality[v] > 24) seeing.push(i);
    if (seeing.length < 2) continue;
    if (seeing.length > MOST) {
      // The best and worse ones: only what is seen from many sides tells light from paint.
      seeing.sort((a, b) => views[b].quality[v] - views[a].quality[v] || a - b);
      for (let k = 0; k < MOST; k++) seeing[k] = seeing[Math.floor((k * seeing.length) / MOST)];
      seeing.length = MOST;
    }
    // By room, then in order: a room's samples of a place lie together.
    seeing.sort((a, b) => views[a].room - views[b].room || a - b);
    const first = view.length;
    const [x, y, z] = [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
    for (const i of seeing) {
      if (!small[i].lightAt(x, y, z, light)) continue;
      if (Math.min(light[0], light[1], light[2]) < DARKEST || Math.max(light[0], light[1], light[2]) > BRIGHTEST)
        continue;
      view.push(i);
      const clear = 1 - MISTRUST * sensorGlare(views[i], mesh, v);
      weight.push(clear * weightOfQuality(views[i].quality[v]));
      logLight.push(Math.log(light[0]), Math.log(light[1]), Math.log(light[2]));
      sensor.push(sensorTerm(views[i], reach, mesh, v));
    }
    if (view.length - first < 2) {
      view.length = weight.length = sensor.length = first;
      logLight.length = 3 * first;
      continue;
    }
    vertex.push(v);
    start.push(first);
  }
  start.push(view.length);
  const basis = new Float64Array(9 * vertex.length);
  vertex.forEach((v, i) => harmonics(normals[3 * v], normals[3 * v + 1], normals[3 * v + 2], basis, 9 * i));
  return {
    places: vertex.length,
    vertex: Uint32Array.from(vertex),
    start: Uint32Array.from(start),
    harmonics: basis,
    view: Uint16Array.from(view),
    weight: Float32Array.from(weight),
    logLight: Float32Array.from(logLight),
    sensor: Float32Array.from(sensor),
  };
}
