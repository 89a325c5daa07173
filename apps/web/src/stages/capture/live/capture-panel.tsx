import { useEffect, useState } from 'react';
import { Circle, Pause, Play, RotateCcw, Square, Undo2 } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import type { ClientMessage, DeviceSettings } from '@amber-knit/device-protocol';
import { advise, FIRST_ANSWERS, TRACK_BY, type TrackBy } from '@amber-knit/planning';
import { api, problemText } from '../../../api/api';
import { Button, Notice } from '../../../shared/controls';
import { useStore } from '../../../shared/store';
import { BenchArranger } from './bench-arranger';
import { captureClient } from './capture-client';
import { ChoiceRow } from './choice-row';
import { CoverageDial } from './coverage-dial';
import { DeviceChooser } from './device-chooser';
import { DeviceSettingsForm } from './device-settings-form';
import { ExtentOptions } from './extent-options';
import { liveSettings } from './live-settings';
import { TurntableOptions } from './turntable-options';

const tell = (message: ClientMessage): void => captureClient.tell(message);
const BOX = 'min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1';
const TRACK_WORDS: Record<TrackBy, string> = {
  shape: 'Shape alone',
  'shape and colour': 'Shape and colour',
  'marker dots': 'Marker dots too',
};
/** How much of the newest is taken back at a time, seconds. */
const TAKE_BACK_SECONDS = 3;
/** Spacing of a scan's points in the coarse profile, mm. */
const COARSE_SPACING = 15;

/** The right side of the bench while capturing: device, recording, sides seen, settings. */
export function CapturePanel({ piece }: { piece: PieceView }) {
  const { cutHeight, sound } = useStore(liveSettings);
  const state = useStore(captureClient);
  const { data: list } = api.useDevicesQuery();
  const [beginCapture, beginning] = api.useBeginCaptureMutation();
  const [finishCapture, finishing] = api.useFinishCaptureMutation();
  const plan = piece.plan ?? FIRST_ANSWERS;
  const advice = advise(plan, list?.devices ?? []);
  const [setup, setSetup] = useState('');
  const [chosenSupport, setSupport] = useState<'remove' | 'keep' | null>(null);
  const [table, setTable] = useState({ stops: 12, colorViews: 3 });
  const [extent, setExtent] = useState({ coarse: false, within: 0 });
  const [place, setPlace] = useState(true);
  const [chosenTrackBy, setTrackBy] = useState<TrackBy | null>(null);
  const { phase, device, report, trouble, storing } = state;
  const recording = phase === 'recording' || phase === 'paused';
  // A room stands on its floor; a thing is wanted without its table.
  const forRooms = device?.deviceClass === 'lidar';
  const support = chosenSupport ?? (state.emptyLearned || (forRooms && extent.within === 0) ? 'keep' : 'remove');
  const hasTable = device?.sensors.includes('angle') ?? false;
  const trackBy = chosenTrackBy ?? advice.trackBy;

  // The plan's settings hold from the start; the sliders stay open to change.
  const planned = JSON.stringify(piece.plan ? advice.settings : {});
  const connectedId = device?.id;
  useEffect(() => {
    if (connectedId && planned !== '{}') {
      captureClient.tell({ type: 'settings', values: JSON.parse(planned) as Partial<DeviceSettings> });
    }
  }, [connectedId, planned]);

  useEffect(() => {
    if (connectedId) captureClient.lookFor(trackBy);
  }, [connectedId, trackBy]);

  // Leaving the stage ends looking; a recording is only paused, its frames are stored.
  useEffect(
    () => () => {
      const now = captureClient.current().phase;
      if (now === 'recording') captureClient.pause();
      else if (now === 'looking' || now === 'connecting') captureClient.close();
    },
    [],
  );
  const setups = [...new Set([...advice.setups.map((s) => s.name), ...piece.setups, ...(device?.bench?.setups ?? [])])];
  const nextSetup = advice.setups.map((s) => s.name).find((n) => !piece.setups.includes(n));
  const chosenSetup = setup || nextSetup || setups[0] || 'Upright';

  const record = async (): Promise<void> => {
    const capture = await beginCapture({
      pieceId: piece.id,
      name: `Scan ${piece.scans + 1}`,
      setup: chosenSetup,
      deviceId: device!.id,
      settings: hasTable
        ? { ...state.settings, stops: table.stops, colorViews: table.colorViews }
        : { ...state.settings, trackBy: TRACK_BY.indexOf(trackBy) },
    }).unwrap();
    captureClient.begin(capture, {
      trackBy,
      coarse: extent.coarse,
      stops: hasTable ? table.stops : 0,
      colorViews: table.colorViews,
    });
  };
  const finish = async (): Promise<void> => {
    const capture = state.capture!;
    const frames = await captureClient.end();
    const { coarse, within } = extent;
    if (frames > 0)
      await finishCapture({ id: capture.id, support, place, within, spacing: coarse ? COARSE_SPACING : 0 }).unwrap();
    setSetup('');
  };
  const failed = beginning.error ?? finishing.error;

  if (phase === 'closed' || phase === 'connecting')
    return <DeviceChooser piece={piece} devices={list} advice={advice} />;
  return (
    <>
      <section aria-label="Recording" className="mt-2 flex flex-col gap-2">
        <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
          Setup
          <input
            list="capture-setups"
            value={recording ? state.capture!.setup : chosenSetup}
            disabled={recording}
            onChange={(e) => setSetup(e.target.value)}
            maxLength={80}
            className={BOX}
          />
          <datalist id="capture-setups">
            {setups.map((s) => (
              <option key={s} value={s} />
            ))}
          </datalist>
        </label>
        {!recording && hasTable && <TurntableOptions {...table} onChange={setTable} />}
        {!recording && !hasTable && device?.deviceClass !== 'line-laser' && (
          <ChoiceRow
            title="Track by"
            value={TRACK_BY.indexOf(trackBy)}
            choices={TRACK_BY.map((by, i) => [i, TRACK_WORDS[by]])}
            onChange={(i) => setTrackBy(TRACK_BY[i])}
          />
        )}
        {!recording && trackBy === 'marker dots' && (
          <p className="m-0 text-muted">
            White dots of 4 mm in black rings of 7 mm, stuck on unevenly 15 to 30 mm apart: the scanner must see five or
            more at a time. They are recognised by their distances.
          </p>
        )}
        {forRooms && <ExtentOptions {...extent} recording={recording} onChange={setExtent} />}
        {!recording && (
          <Button tone="go" onClick={() => void record()} disabled={phase === 'ending' || beginning.isLoading}>
            <Circle size={14} fill="currentColor" /> {phase === 'ending' ? 'Storing the last frames …' : 'Record'}
          </Button>
        )}
        {recording && (
          <>
            <div className="grid grid-cols-2 gap-2">
              {phase === 'recording' ? (
                <Button onClick={() => captureClient.pause()}>
                  <Pause size={15} /> Pause
                </Button>
              ) : (
                <Button onClick={() => captureClient.resume()}>
                  <Play size={15} /> Go on
                </Button>
              )}
              <Button
                onClick={() => captureClient.takeBack(TAKE_BACK_SECONDS)}
                disabled={!report?.kept}
                title={`Takes back what was recorded in the last ${TAKE_BACK_SECONDS} seconds`}
              >
                <Undo2 size={15} /> Take back
              </Button>
            </div>
            <Button tone="go" onClick={() => void finish()}>
              <Square size={13} fill="currentColor" /> Finish this scan
            </Button>
          </>
        )}
        <p role="status" className="m-0 text-muted">
          {state.said}
        </p>
        {trouble && <Notice tone="error">{trouble}</Notice>}
        {storing && <Notice tone="error">{storing}</Notice>}
        {failed !== undefined && <Notice tone="error">{problemText(failed)}</Notice>}
      </section>
      {!forRooms && (
        <section aria-label="Sides seen" className="mt-2">
          <h3 className="mb-1 mt-0 text-sm font-semibold">Sides seen</h3>
          <CoverageDial coverage={report?.coverage} />
        </section>
      )}
      <section aria-label="Support" className="mt-4 flex flex-col gap-1.5">
        <h3 className="m-0 text-sm font-semibold">Support</h3>
        <label className="grid grid-cols-[1fr_7rem] items-center gap-2">
          When finished
          <select value={support} onChange={(e) => setSupport(e.target.value as 'remove' | 'keep')} className={BOX}>
            <option value="remove">Remove</option>
            <option value="keep">Keep</option>
          </select>
        </label>
        <label className="grid grid-cols-[1fr_6rem] items-center gap-2">
          <span>Hide below</span>
          <span className="flex items-center gap-1">
            <input
              type="number"
              min={-200}
              max={200}
              step={0.5}
              value={cutHeight}
              onChange={(e) => liveSettings.set({ cutHeight: Number(e.target.value) })}
              className={`${BOX} num w-full`}
            />
            mm
          </span>
        </label>
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={place} onChange={(e) => setPlace(e.target.checked)} />
          Place onto the other scans by itself
        </label>
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={sound} onChange={(e) => liveSettings.set({ sound: e.target.checked })} />
          Sound when tracking is lost
        </label>
      </section>
      {device?.bench && (
        <BenchArranger
          device={device}
          bench={state.bench}
          tell={tell}
          setup={recording ? state.capture!.setup : chosenSetup}
          recording={recording}
        />
      )}
      <DeviceSettingsForm device={device} settings={state.settings} tell={tell} />
      <div className="mt-4">
        <Button onClick={() => captureClient.close()} disabled={recording} className="w-full">
          <RotateCcw size={15} /> Another device
        </Button>
      </div>
    </>
  );
}
