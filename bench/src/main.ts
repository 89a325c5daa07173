import { benchObject } from './objects.js';
import { registrationTrial } from './registration-trial.js';
const name = (process.argv[2] ?? 'bunny') as 'jug' | 'bunny' | 'dragon';
const seeds = (process.argv[3] ?? '1').split(',').map(Number);
const object = benchObject(name);
console.log(name, object.mesh.indices.length / 3, 'triangles');
for (const seed of seeds) {
  const r = registrationTrial(object, { seed, views: Number(process.argv[4] ?? 12), setups: seed % 2 ? 2 : 3 }, true);
  console.log(seed, JSON.stringify(r, (k, v) => (k === 'each' ? undefined : v)));
}
