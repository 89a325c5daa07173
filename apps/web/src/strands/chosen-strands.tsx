import { useState } from 'react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { PieceView, ScanView } from '@amber-knit/contracts';
import { api, problemText } from '../api/api';
import { useAppDispatch, useAppSelector } from '../app/store';
import { scanHidden } from '../app/view-slice';
import { Button, Notice } from '../shared/controls';
import { hasPlace } from '../view/piece-content';
import { SetupInput } from '../shared/setup-input';
import { SendStrands } from './send-strands';

/** What can be done with several scans at once. */
export function ChosenStrands({ piece, chosen, onDone }: { piece: PieceView; chosen: ScanView[]; onDone: () => void }) {
  const { hidden } = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const [run, ran] = api.useRunOperationMutation();
  const [label, { error }] = api.useLabelScansMutation();
  const [setup, setSetup] = useState('');
  const shown = chosen.filter((s) => !hidden.includes(s.id));
  const excluded = chosen.every((s) => s.placement.state === 'excluded');
  const placed = chosen.filter((s) => hasPlace(s));
  const locked = placed.length > 0 && placed.every((s) => s.placement.locked);
  const change = (operationId: string, scans: ScanView[], params: object): void =>
    void run({ pieceId: piece.id, operationId, params: { only: scans.map((s) => s.name), ...params } });
  const move = (): void => void label({ pieceId: piece.id, scans: chosen.map((s) => s.id), setup: setup.trim() });
  return (
    <section aria-label="Chosen strands" className="mx-3 mt-2 flex flex-col gap-1.5 rounded-lg bg-sunk px-2 py-2">
      <div className="flex items-center justify-between">
        <span>
          <b className="num">{chosen.length}</b> chosen
        </span>
        <Button tone="quiet" className="px-2! py-0!" onClick={onDone}>
          None
        </Button>
      </div>
      <div className="grid grid-cols-3 gap-1.5">
        <Button
          onClick={() => (shown.length > 0 ? shown : chosen).forEach((s) => dispatch(scanHidden(s.id)))}
          className="px-2!"
        >
          {shown.length > 0 ? 'Hide' : 'Show'}
        </Button>
        <Button className="px-2!" onClick={() => change(OPERATION_IDS.registerExclude, chosen, { exclude: !excluded })}>
          {excluded ? 'Take in' : 'Exclude'}
        </Button>
        <Button
          className="px-2!"
          disabled={placed.length === 0}
          title={
            placed.length === 0
              ? 'Scans with a place can be locked'
              : locked
                ? 'They move with the rest again'
                : 'No registration moves them any more'
          }
          onClick={() => change(OPERATION_IDS.registerLock, placed, { lock: !locked })}
        >
          {locked ? 'Unlock' : 'Lock'}
        </Button>
      </div>
      <form
        className="flex gap-1.5"
        onSubmit={(e) => {
          e.preventDefault();
          if (setup.trim()) move();
        }}
      >
        <SetupInput
          label="Setup for the chosen strands"
          setups={piece.setups}
          value={setup}
          onChange={setSetup}
          className="min-w-0 flex-1"
        />
        <Button type="submit" disabled={!setup.trim()}>
          Move
        </Button>
      </form>
      <SendStrands piece={piece} chosen={chosen} />
      {(error ?? ran.error) !== undefined && <Notice tone="error">{problemText(error ?? ran.error)}</Notice>}
    </section>
  );
}
