import type { Right } from '@amber-knit/contracts';
import { onlyMeasures, OPERATIONS } from '@amber-knit/operations';

/** What running an operation needs: reviewers run what looks at a piece and leaves it as it is. One that is not known changes it. */
export function rightToRun(operationId: unknown): Right {
  const operation = OPERATIONS.find((o) => o.id === operationId);
  return operation && onlyMeasures(operation) ? 'measure' : 'work';
}
