import { useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import { api } from '../api/api';
import { Button } from '../shared/controls';
import { sizeText, unitChoices, unitQuestionOf, type UnitQuestion } from './unit-question';

/** Imports that wait for their unit to be said. */
export function UnitAsker({ piece }: { piece: PieceView }) {
  const { data: steps } = api.useStepsQuery(piece.id);
  const [left, setLeft] = useState<readonly string[]>([]);
  const questions = (steps ?? []).flatMap((s) => unitQuestionOf(s) ?? []).filter((q) => !left.includes(q.stepId));
  return questions.map((q) => (
    <Question key={q.stepId} question={q} planned={piece.plan?.size} leave={() => setLeft([...left, q.stepId])} />
  ));
}

function Question({
  question,
  planned,
  leave,
}: {
  question: UnitQuestion;
  planned: number | undefined;
  leave: () => void;
}) {
  const [again, { isLoading }] = api.useRunAgainMutation();
  const answer = (unit: string): void => void again({ id: question.stepId, params: { unit } });
  return (
    <section
      role="alert"
      aria-label={`Unit of ${question.fileName}`}
      className="rounded-lg border border-amber bg-amber-soft px-3 py-2"
    >
      <b className="block truncate font-semibold">{question.fileName}: which unit?</b>
      <p className="m-0 mb-2">
        Its points reach {Number(question.across.toPrecision(3))} of its units
        {planned ? `; the plan says ${planned} mm` : ''}. That would be, in
      </p>
      <div className="grid grid-cols-2 gap-1.5">
        {unitChoices(question.across, planned).map((c) => (
          <Button
            key={c.value}
            tone={c.likely ? 'go' : 'plain'}
            disabled={isLoading}
            onClick={() => answer(c.value)}
            className="flex-col !gap-0"
          >
            {c.likely ? `${c.name}, likely` : c.name}
            <span className="num font-normal">{sizeText(c.size)}</span>
          </Button>
        ))}
      </div>
      <div className="mt-1.5 flex justify-end">
        <Button tone="quiet" onClick={leave}>
          Leave it out
        </Button>
      </div>
    </section>
  );
}
