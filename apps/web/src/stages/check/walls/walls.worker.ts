import { wallMap, type ThicknessMethod, type WallMap } from '@amber-knit/core/measure';
import { createRunContext } from '@amber-knit/core/runtime';
import { answerQuestions } from '../../../shared/asking-worker';
import { held } from '../../../shared/held';
import { streamSurface } from '../../../view/surface-parts';

// Measures walls off the page's thread, with what the server measures them with.

export interface ToWalls {
  meshId: string;
  least: number;
  method: ThicknessMethod;
}
export type FromWalls = { map: WallMap } | { failed: string };

const surfaceOf = held((meshId: string) => streamSurface(meshId, new AbortController().signal, () => {}));

async function answer({ meshId, least, method }: ToWalls): Promise<FromWalls> {
  return { map: wallMap(await surfaceOf(meshId), least, method, createRunContext()) };
}

answerQuestions(answer, (failed): FromWalls => ({ failed }));
