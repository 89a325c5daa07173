import { useEffect, useRef, useState, useSyncExternalStore } from 'react';
import { Circle, RotateCcw, Square } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import type { ClientMessage } from '@amber-knit/device-protocol';
import { api, problemText } from '../../../api/api';
import { Button, Notice, ProgressBar } from '../../../shared/controls';
import { BenchArranger } from '../live/bench-arranger';
import { DeviceSettingsForm } from '../live/device-settings-form';
import { LightForm } from './light-form';
import { lineLaserClient } from './line-laser-client';
import { StandAids } from './stand-aids';
import { StandForm } from './stand-form';
import { settingsOf } from './stand-params';
import { TraceReport } from './trace-report';
import { TurnForm } from './turn-form';

const tell = (message: ClientMessage): void => lineLaserClient.tell(message);

/** The right side of the bench while working with a line laser. */
export function LineLaserPanel({ piece }: { piece: PieceView }) {
  const state = useSyncExternalStore(lineLaserClient.subscribe, lineLaserClient.current);
  const { device, recording, pictures, points, trouble, transfer, saved, work, capture } = state;
  const [beginCapture, beginning] = api.useBeginCaptureMutation();
  const [finishCapture, finishing] = api.useFinishCaptureMutation();
  const [discardCapture] = api.useDiscardCaptureMutation();
  const failed = beginning.error ?? finishing.error;
  const [setup, setSetup] = useState(piece.setups[piece.setups.length - 1] ?? 'Upright');
  const name = `Scan ${piece.scans + 1}`;
  // Leaving the stage gives the device back.
  useEffect(() => () => lineLaserClient.close(), []);
  const head = useRef<HTMLElement>(null);
  useEffect(() => {
    // Some browsers return a promise here; an effect may only return its end.
    void head.current?.scrollIntoView({ block: 'nearest' });
  }, []);
  const record = async (): Promise<void> => {
    const settings = { ...state.settings, ...settingsOf(state.setup) };
    const start = { pieceId: piece.id, name, setup, deviceId: device!.id, settings, holds: 'pictures' as const };
    const begun = await beginCapture(start).unwrap();
    // Recording again gives the recording before it up, once there is a new one.
    if (capture && !saved) await discardCapture(capture.id);
    lineLaserClient.record(begun);
  };
  const save = async (): Promise<void> => {
    if (!capture) return lineLaserClient.save({ pieceId: piece.id, setup, name });
    await finishCapture({ id: capture.id, recording: lineLaserClient.params() }).unwrap();
    lineLaserClient.handedOver();
  };
  return (
    <>
      <section ref={head} aria-label="Recording" className="mt-2 flex flex-col gap-2">
        <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
          Setup
          <input
            value={setup}
            onChange={(e) => setSetup(e.target.value)}
            maxLength={80}
            className="min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
          />
        </label>
        {device &&
          (recording ? (
            <Button tone="go" onClick={() => lineLaserClient.stop()}>
              <Square size={13} fill="currentColor" /> Stop, after a little more than a turn
            </Button>
          ) : (
            <Button tone={points > 0 ? 'plain' : 'go'} onClick={() => void record().catch(() => {})}>
              <Circle size={14} fill="currentColor" /> {pictures > 0 ? 'Record again' : 'Record'}
            </Button>
          ))}
        {points > 0 && !recording && (
          <Button
            tone="go"
            disabled={transfer !== null || work !== null || saved || (capture?.waiting ?? 0) > 0 || finishing.isLoading}
            onClick={() => void save().catch(() => {})}
          >
            {saved ? 'Handed over: see the ledger' : 'Make a scan of it'}
          </Button>
        )}
        {transfer && (
          <div>
            <span className="text-muted">{transfer.text}</span>
            <ProgressBar value={transfer.fraction} label={transfer.text} />
          </div>
        )}
        {work !== null && <ProgressBar value={work} label="Finding lines" />}
        {capture && !saved && (
          <span className="num text-muted" aria-live="polite">
            {capture.stored} pictures stored{capture.waiting > 0 ? `, ${capture.waiting} on their way` : ''}
          </span>
        )}
        {capture?.trouble && <Notice tone="error">{capture.trouble}</Notice>}
        {failed && <Notice tone="error">{problemText(failed)}</Notice>}
        {trouble && <Notice tone="error">{trouble}</Notice>}
      </section>
      <TraceReport />
      <StandAids />
      <StandForm />
      <LightForm />
      <TurnForm />
      {device?.bench && (
        <BenchArranger device={device} bench={state.bench} tell={tell} setup={setup} recording={recording} />
      )}
      <DeviceSettingsForm device={device} settings={state.settings} tell={tell} />
      <div className="mt-4">
        <Button onClick={() => lineLaserClient.close()} disabled={recording} className="w-full">
          <RotateCcw size={15} /> {device ? 'Another device' : 'Close the recording'}
        </Button>
      </div>
    </>
  );
}
