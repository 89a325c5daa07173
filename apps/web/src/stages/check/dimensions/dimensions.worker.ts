import { MeasuringGround, type Dimension, type MeasuredDimension } from '@amber-knit/core/dimensions';
import { writeDxfDrawing, writeSvgDrawing } from '@amber-knit/core/io';
import { flatCurve } from '@amber-knit/core/measure';
import { answerQuestions } from '../../../shared/asking-worker';
import { held } from '../../../shared/held';
import { streamSurface } from '../../../view/surface-parts';

// Measures dimensions off the page's thread, with what the server measures them with.

export type ToDimensions =
  { meshId: string; dimension: Dimension } | { meshId: string; section: Dimension; format: 'svg' | 'dxf' };
export type FromDimensions = { found: MeasuredDimension } | { drawing: Uint8Array } | { failed: string };

const groundOf = held(
  async (meshId: string) => new MeasuringGround(await streamSurface(meshId, new AbortController().signal, () => {})),
);

async function answer(question: ToDimensions): Promise<FromDimensions> {
  const ground = await groundOf(question.meshId);
  if ('dimension' in question) return { found: ground.measure(question.dimension) };
  const { section, format } = question;
  const { curves, plane } = ground.section(section.places[0], section.direction ?? [0, 0, 1]);
  const lines = curves.map((c) => ({ points: flatCurve(c, plane), closed: c.closed, layer: section.name }));
  return { drawing: format === 'svg' ? writeSvgDrawing(lines, section.name) : writeDxfDrawing(lines) };
}

answerQuestions(answer, (failed): FromDimensions => ({ failed }));
