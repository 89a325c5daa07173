import { findDetailTask, openToLightTask } from '../baking/index.js';
import { fitPatchesTask, sharpenPatchesTask } from '../fusion/index.js';
import { linkFramesTask } from '../frames/index.js';
import { findLinesTask } from '../line-laser/index.js';
import {
  comparePair,
  judgeSizeTask,
  prepareScanTask,
  reviveScan,
  trySizeTask,
  type PairTask,
  type ScaleTask,
} from '../registration/index.js';
import type { Task } from '../runtime/map-task.js';
import { paintRunTask, seeVerticesTask } from '../texture/index.js';
import { unwrapTask } from '../unwrapping/index.js';

/** A task with what its shared data needs after having been copied. */
interface KnownTask {
  run: Task<never, never, unknown>;
  revive?: (shared: never) => unknown;
}

/** The scan that others are held against, copied from another core. */
function reviveTarget(shared: ScaleTask): ScaleTask {
  return { ...shared, target: reviveScan(shared.target) };
}

/** Everything a task pool can be asked for, by name. */
const TASKS: Record<string, KnownTask> = {
  'fit-patches': { run: fitPatchesTask },
  'find-detail': { run: findDetailTask },
  'find-lines': { run: findLinesTask },
  'link-frames': { run: linkFramesTask },
  'open-to-light': { run: openToLightTask },
  'sharpen-patches': { run: sharpenPatchesTask },
  'try-size': { run: trySizeTask, revive: reviveTarget },
  'judge-size': { run: judgeSizeTask, revive: reviveTarget },
  'paint-run': { run: paintRunTask },
  'see-vertices': { run: seeVerticesTask },
  unwrap: { run: unwrapTask },
  'prepare-scan': { run: prepareScanTask },
  'compare-pair': {
    run: comparePair,
    revive: (shared: PairTask): PairTask => ({ ...shared, prepared: shared.prepared.map(reviveScan) }),
  },
};

/** A function of the items of one task, for one worker. @throws Error if there is no such task */
export function openTask(name: string, shared: unknown): (item: unknown) => unknown {
  const task = TASKS[name];
  if (!task) throw new Error(`There is no task "${name}".`);
  const revived = task.revive ? task.revive(shared as never) : shared;
  return (item) => task.run(revived as never, item as never);
}
