import { useEffect, useState, useSyncExternalStore } from 'react';
import { Circle, Pause, Play, RotateCcw, Square, Undo2 } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import type { ClientMessage, DeviceSettings } from '@amber-knit/device-protocol';
import { advise, FIRST_ANSWERS } from '@amber-knit/planning';
import { api, problemText } from '../../api/api';
import { Button, Notice } from '../../shared/controls';
import { ImportPanel } from '../import/import-panel';
import { lineLaserClient } from '../line-laser/line-laser-client';
import { RecordingFiles } from '../line-laser/recording-files';
import { BenchArranger } from './bench-arranger';
import { captureClient } from './capture-client';
import { CoverageDial } from './coverage-dial';
import { DeviceSettingsForm } from './device-settings-form';
import { OpenCaptures } from './open-captures';

const tell = (message: ClientMessage): void => captureClient.tell(message);
const BOX = 'min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1';
/** How much of the newest is taken back at a time, seconds. */
const TAKE_BACK_SECONDS = 3;
/** Spacing of a scan's points in the coarse profile, mm. */
const COARSE_SPACING = 15;

/** The right side of the bench while capturing: device, recording, sides seen, settings. */
export function CapturePanel({
  piece,
  cutHeight,
  setCutHeight,
  sound,
  setSound,
}: {
  piece: PieceView;
  cutHeight: number;
  setCutHeight(v: number): void;
  sound: boolean;
  setSound(v: boolean): void;
}) {
  const state = useSyncExternalStore(captureClient.subscribe, captureClient.current);
  const { data: list } = api.useDevicesQuery();
  const [beginCapture, beginning] = api.useBeginCaptureMutation();
  const [finishCapture, finishing] = api.useFinishCaptureMutation();
  const plan = piece.plan ?? FIRST_ANSWERS;
  const advice = advise(plan, list?.devices ?? []);
  const suggested = plan.deviceId || advice.devices.find((d) => d.fit === 'good')?.id || list?.devices[0]?.id || '';
  const [deviceId, setDeviceId] = useState('');
  const [setup, setSetup] = useState('');
  const [chosenSupport, setSupport] = useState<'remove' | 'keep' | null>(null);
  const [colorViews, setColorViews] = useState(3);
  const [coarse, setCoarse] = useState(false);
  const [within, setWithin] = useState(0);
  const [place, setPlace] = useState(true);
  const [stops, setStops] = useState(12);
  const { phase, device, report, trouble } = state;
  const recording = phase === 'recording' || phase === 'paused';
  // A room stands on its floor; a thing is wanted without its table.
  const forRooms = device?.deviceClass === 'lidar';
  const support = chosenSupport ?? (state.emptyLearned || (forRooms && within === 0) ? 'keep' : 'remove');
  const hasTable = device?.sensors.includes('angle') ?? false;

  // The plan's settings hold from the start; the sliders stay open to change.
  const planned = JSON.stringify(piece.plan ? advice.settings : {});
  const connectedId = device?.id;
  useEffect(() => {
    if (connectedId && planned !== '{}') {
      captureClient.tell({ type: 'settings', values: JSON.parse(planned) as Partial<DeviceSettings> });
    }
  }, [connectedId, planned]);

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

  const connect = (): void => {
    const chosen = list?.devices.find((d) => d.id === (deviceId || suggested));
    if (chosen?.deviceClass === 'line-laser') lineLaserClient.connect(chosen);
    else captureClient.connect(deviceId || suggested);
  };
  const record = async (): Promise<void> => {
    const capture = await beginCapture({
      pieceId: piece.id,
      name: `Scan ${piece.scans + 1}`,
      setup: chosenSetup,
      deviceId: device!.id,
      settings: { ...state.settings },
    }).unwrap();
    captureClient.begin(capture, {
      byColor: advice.trackBy !== 'shape',
      coarse,
      stops: hasTable ? stops : 0,
      colorViews,
    });
  };
  const finish = async (): Promise<void> => {
    const capture = state.capture!;
    const frames = await captureClient.end();
    if (frames > 0)
      await finishCapture({ id: capture.id, support, place, within, spacing: coarse ? COARSE_SPACING : 0 }).unwrap();
    setSetup('');
  };
  const failed = beginning.error ?? finishing.error;

  if (phase === 'closed' || phase === 'connecting') {
    return (
      <>
        <section aria-label="Device" className="mt-2 flex flex-col gap-2">
          <h3 className="m-0 text-sm font-semibold">Scan with</h3>
          {list?.reason && <Notice tone="error">{list.reason}</Notice>}
          {list?.devices.map((d) => {
            const fit = advice.devices.find((f) => f.id === d.id);
            const on = (deviceId || suggested) === d.id;
            return (
              <label
                key={d.id}
                className={`block cursor-pointer rounded-lg border px-3 py-2 ${on ? 'border-amber bg-amber-soft' : 'border-line bg-panel'}`}
              >
                <span className="flex items-center gap-2">
                  <input
                    type="radio"
                    name="device"
                    checked={on}
                    onChange={() => setDeviceId(d.id)}
                    className="accent-[var(--amber)]"
                  />
                  <b className="font-semibold">{d.name}</b>
                </span>
                <span className="block text-muted">{d.about}</span>
                <span className="num block text-muted">
                  {d.range.near}–{d.range.far} mm, ±{d.noise.sigma} mm
                </span>
                {fit && piece.plan && (
                  <span className={fit.fit === 'poor' ? 'text-brick' : 'text-teal'}>{fit.reason}</span>
                )}
              </label>
            );
          })}
          <Button tone="go" onClick={connect} disabled={phase === 'connecting' || !list?.devices.length}>
            {phase === 'connecting' ? 'Connecting …' : 'Connect'}
          </Button>
          {trouble && <Notice tone="error">{trouble}</Notice>}
        </section>
        <OpenCaptures pieceId={piece.id} />
        <RecordingFiles />
        <ImportPanel piece={piece} />
      </>
    );
  }
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
        {!recording && hasTable && (
          <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
            Stops
            <select value={stops} onChange={(e) => setStops(Number(e.target.value))} className={BOX}>
              {[6, 8, 12, 18, 24, 36].map((n) => (
                <option key={n} value={n}>
                  {n} of {360 / n}°
                </option>
              ))}
            </select>
          </label>
        )}
        {!recording && hasTable && (
          <>
            <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
              Colour
              <select value={colorViews} onChange={(e) => setColorViews(Number(e.target.value))} className={BOX}>
                <option value={0}>with the shape only</option>
                {[2, 3, 4, 6].map((n) => (
                  <option key={n} value={n}>
                    afterwards, from {n} sides
                  </option>
                ))}
              </select>
            </label>
            <Button
              onClick={() => captureClient.learnEmpty()}
              title="Take the object off first. What is seen then is left out of every stop: table, block, clamp."
            >
              Learn the empty support
            </Button>
          </>
        )}
        {forRooms && (
          <>
            <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
              Profile
              <select
                value={coarse ? 'coarse' : 'fine'}
                disabled={recording}
                onChange={(e) => setCoarse(e.target.value === 'coarse')}
                className={BOX}
              >
                <option value="fine">Fine: every view counts</option>
                <option value="coarse">Coarse: quick, half as dense</option>
              </select>
            </label>
            <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
              Extent
              <select value={within} onChange={(e) => setWithin(Number(e.target.value))} className={BOX}>
                <option value={0}>Whole scene</option>
                {[200, 400, 700, 1200].map((r) => (
                  <option key={r} value={r}>
                    One object, within {r} mm
                  </option>
                ))}
              </select>
            </label>
            {within > 0 && (
              <p className="m-0 text-muted">
                Kept is what lies that near to the place you aim at when recording begins.
              </p>
            )}
          </>
        )}
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
        <label className="grid grid-cols-[1fr_6rem] items-center gap-2">
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
              onChange={(e) => setCutHeight(Number(e.target.value))}
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
          <input type="checkbox" checked={sound} onChange={(e) => setSound(e.target.checked)} />
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
