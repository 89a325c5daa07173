import { useEffect } from 'react';
import type { StepView } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { useStore, type Watch } from '../store';
import type { KeptEdits } from './kept-edits';
import type { WorkState } from './work-client';

/** What a panel for work by hand is made of. */
export interface HandWork<E> {
  client: Watch<WorkState<E>> & { open(surface: string): void; close(): void; setSent(sent: boolean): void };
  kept: KeptEdits<E>;
  desk: Watch<{ tool: string | null }> & { choose(tool: null): void; fit(size: number): void };
  /** The step that does the edits, and what it calls them. */
  operationId: string;
  param: string;
}

/** Where the work goes on. */
export interface WorkPlace {
  pieceId: string;
  surface: string | undefined;
  steps: readonly StepView[];
  busy: boolean;
  /** Extent of the surface, once it is known. */
  bounds: { min: readonly number[]; max: readonly number[] } | undefined;
}

/** Opens and closes the work with the surface it belongs to, and hands it over as a step. */
export function useWork<E>(
  { client, kept, desk, operationId, param }: HandWork<E>,
  { pieceId, surface, steps, busy, bounds }: WorkPlace,
): { keep(): void; waiting: boolean; error: string | null } {
  const { edits, pending, sent } = useStore(client);
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  useEffect(() => {
    const open = client.current().surface;
    if (!surface) return client.close();
    // What was begun here before, and a tool that is in hand, go on; else the surface is only read when it is needed.
    if (kept.of(surface).length > 0 || (open && desk.current().tool)) client.open(surface);
    else if (open && open !== surface) client.close();
  }, [client, kept, desk, surface]);
  useEffect(
    () => () => {
      desk.choose(null);
      client.close();
    },
    [client, desk],
  );
  // A step that came to nothing leaves what was drawn as it was.
  const last = steps.findLast((s) => s.operationId === operationId)?.status;
  useEffect(() => {
    if (sent && (last === 'failed' || last === 'cancelled')) client.setSent(false);
  }, [client, sent, last]);
  useEffect(() => {
    if (bounds) desk.fit(Math.max(...bounds.max.map((c, k) => c - bounds.min[k])));
  }, [desk, bounds]);
  const keep = async (): Promise<void> => {
    client.setSent(true);
    try {
      // Steps of a piece run one after the other, so one goes on where the last ended.
      for (const part of kept.inParts(edits)) await run({ pieceId, operationId, params: { [param]: part } }).unwrap();
    } catch {
      client.setSent(false);
    }
  };
  return {
    keep: () => void keep(),
    waiting: pending > 0 || isLoading || (busy && sent),
    error: error ? problemText(error) : null,
  };
}
