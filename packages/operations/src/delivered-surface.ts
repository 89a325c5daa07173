import type { LightModel, TexturedMesh, TriangleMesh } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { ChoiceParam } from './params.js';
import type { WorkData } from './operation.js';

/** Which surface of a piece is written. */
export type DeliveredChoice = 'whole' | 'light';

/** Asks which surface is to be written. */
export const DeliveredParam = (): PropertyDecorator =>
  ChoiceParam({
    title: 'Surface',
    help: 'The whole surface with all its triangles, or the light model with the detail on its maps, as made in Texture.',
    choices: { whole: 'The whole surface', light: 'The light model' },
  });

/** The surface that is to be written. @throws GeometryError `empty-input` if a light model is asked for and there is none */
export function deliveredSurface(
  { mesh, model, light }: Pick<WorkData, 'mesh'> & Partial<WorkData>,
  choice: DeliveredChoice,
): TriangleMesh | TexturedMesh | LightModel {
  if (choice === 'whole') return model ?? mesh;
  if (light) return light;
  throw new GeometryError(
    'empty-input',
    'There is no light model yet. Make one in Texture, or take the whole surface.',
  );
}
