import { useEffect, useRef } from 'react';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { api } from '../../api/api';

/**
 * Sends a list to the server as a step, as soon as nothing else runs; what is changed meanwhile goes with the next. What came
 * to nothing is let go.
 * @param wanted what shall be kept and is not yet; null if all is @param ready what the server has is known
 */
export function useSentSheet<T>(
  { piece, steps, busy }: { piece: PieceView; steps: readonly StepView[]; busy: boolean },
  {
    wanted,
    ready,
    operationId,
    params,
    refused,
  }: {
    wanted: T[] | null;
    ready: boolean;
    operationId: string;
    params: (wanted: T[]) => Record<string, unknown>;
    refused(): void;
  },
): { error: unknown; isSending: boolean } {
  const [run, { error, isLoading: isSending }] = api.useRunOperationMutation();
  const sent = useRef<{ sheet: T[]; stepId?: string } | null>(null);
  const latest = useRef({ params, refused });
  useEffect(() => {
    latest.current = { params, refused };
  });
  useEffect(() => {
    if (!wanted || busy || isSending || !ready || sent.current?.sheet === wanted) return;
    const own: NonNullable<typeof sent.current> = { sheet: wanted };
    sent.current = own;
    run({ pieceId: piece.id, operationId, params: latest.current.params(wanted) })
      .unwrap()
      .then((step) => void (own.stepId = step.id))
      .catch(() => latest.current.refused());
  }, [wanted, busy, isSending, ready, piece.id, run, operationId]);
  // A step that came to nothing has kept nothing.
  const lost = steps.some((s) => s.id === sent.current?.stepId && (s.status === 'failed' || s.status === 'cancelled'));
  useEffect(() => {
    if (lost && sent.current?.sheet === wanted) latest.current.refused();
  }, [lost, wanted]);
  return { error, isSending };
}
