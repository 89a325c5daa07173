import { ChevronsLeftRight } from 'lucide-react';
import type { StepView } from '@amber-knit/contracts';
import { api } from '../../api/api';
import { useAppDispatch, useAppSelector } from '../../app/store';
import { comparedWith } from '../../app/view-slice';
import { Button } from '../../shared/controls';

/** Compares the piece with how it stood before a step; nothing if the step has not changed it. */
export function BeforeButton({ step }: { step: StepView }) {
  const { data: versions } = api.useVersionsQuery(step.pieceId);
  const compared = useAppSelector((s) => s.view.compared);
  const dispatch = useAppDispatch();
  const line = versions?.filter((v) => v.place !== 'after') ?? [];
  const before = line[line.findIndex((v) => v.stepId === step.id) - 1];
  if (!before) return null;
  const on = compared !== null && typeof compared === 'object' && compared.version === before.id;
  return (
    <Button
      className="mt-2 flex w-full items-center justify-center gap-1.5 aria-pressed:border-teal! aria-pressed:bg-teal-soft!"
      aria-pressed={on}
      onClick={() =>
        dispatch(
          comparedWith(on ? null : { pieceId: step.pieceId, version: before.id, title: `Before: ${step.title}` }),
        )
      }
    >
      <ChevronsLeftRight size={15} aria-hidden /> Compare with before
    </Button>
  );
}
