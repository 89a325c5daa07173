import { useState, useSyncExternalStore } from 'react';
import type { DeviceList, PieceView } from '@amber-knit/contracts';
import type { PlanAdvice } from '@amber-knit/planning';
import { Button, Notice } from '../../../shared/controls';
import { ImportPanel } from '../../../incoming/import-panel';
import { lineLaserClient } from '../line-laser/line-laser-client';
import { RecordingFiles } from '../line-laser/recording-files';
import { captureClient } from './capture-client';
import { OpenCaptures } from './open-captures';

/** What to scan with: a device, a capture that was left unfinished, a recording, files. */
export function DeviceChooser({
  piece,
  devices: list,
  advice,
}: {
  piece: PieceView;
  devices: DeviceList | undefined;
  advice: PlanAdvice;
}) {
  const { phase, trouble, storing } = useSyncExternalStore(captureClient.subscribe, captureClient.current);
  const [chosen, setChosen] = useState('');
  const devices = list?.devices ?? [];
  const suggested = piece.plan?.deviceId || advice.devices.find((d) => d.fit === 'good')?.id || devices[0]?.id;
  const device = devices.find((d) => d.id === (chosen || suggested));
  const connect = (): void => {
    if (device?.deviceClass === 'line-laser') lineLaserClient.connect(device);
    else if (device) captureClient.connect(device.id);
  };
  return (
    <>
      <section aria-label="Device" className="mt-2 flex flex-col gap-2">
        <h3 className="m-0 text-sm font-semibold">Scan with</h3>
        {list?.reason && <Notice tone="error">{list.reason}</Notice>}
        {devices.map((d) => {
          const fit = advice.devices.find((f) => f.id === d.id);
          const on = d === device;
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
                  onChange={() => setChosen(d.id)}
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
        <Button tone="go" onClick={connect} disabled={phase === 'connecting' || !device}>
          {phase === 'connecting' ? 'Connecting …' : 'Connect'}
        </Button>
        {trouble && <Notice tone="error">{trouble}</Notice>}
        {storing && <Notice tone="error">{storing}</Notice>}
      </section>
      <OpenCaptures pieceId={piece.id} />
      <RecordingFiles />
      <ImportPanel piece={piece} />
    </>
  );
}
