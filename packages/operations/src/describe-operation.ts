import { paramFields, type ParamField } from './params.js';
import type { ArtifactKind, Operation } from './operation.js';

/** An operation as an interface shows it: all but what it does. */
export interface OperationDescription extends Pick<Operation, 'id' | 'version' | 'stage' | 'title' | 'help'> {
  /** What else people call it. */
  words: string;
  /** Asked for in a way of its own, not by a form. */
  byHand: boolean;
  /** Only leaves out points: what would go can be marked beforehand. */
  takesAway: boolean;
  /** Nothing looks different after it. */
  movesNothing: boolean;
  needs: ArtifactKind[];
  gives: ArtifactKind[];
  fields: ParamField[];
}

export const describeOperation = (o: Operation): OperationDescription => ({
  id: o.id,
  version: o.version,
  stage: o.stage,
  title: o.title,
  help: o.help,
  words: o.words ?? '',
  byHand: o.byHand ?? false,
  takesAway: o.takesAway ?? false,
  movesNothing: o.movesNothing ?? false,
  needs: [...o.needs],
  gives: [...o.gives],
  fields: paramFields(o.params),
});
