import { useState } from 'react';
import type { BenchArrangement, ClientMessage, DeviceInfo, DeviceMessage } from '@amber-knit/device-protocol';
import { Button } from '../../../shared/controls';

/** What stands in front of a simulated device, and sweeps that move it by themselves. */
export function BenchArranger({
  device,
  bench,
  tell,
  setup,
  recording,
}: {
  device: DeviceInfo | null;
  bench: Omit<Extract<DeviceMessage, { type: 'bench' }>, 'type'> | null;
  tell(message: ClientMessage): void;
  setup: string;
  recording: boolean;
}) {
  const [sweep, setSweep] = useState('round');
  const [speed, setSpeed] = useState(1);
  if (!bench || !device?.bench) return null;
  const { arrangement } = bench;
  const arrange = (change: Partial<BenchArrangement>): void => tell({ type: 'bench', arrange: change });
  const box = 'min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1';
  // Title, state, what a change means, and whether it may change while recording.
  const switches: [string, boolean, (on: boolean) => Partial<BenchArrangement>, boolean][] = [
    ['On a block', arrangement.block > 0, (on) => ({ block: on ? 40 : 0 }), false],
    ['Held in putty', arrangement.putty, (putty) => ({ putty }), false],
    ['Marker dots', arrangement.dots, (dots) => ({ dots }), false],
    ['Matting spray', arrangement.spray, (spray) => ({ spray }), false],
    ['Nothing on it', arrangement.empty, (empty) => ({ empty }), false],
    ['Bright lamps', arrangement.roomLight > 0.6, (on) => ({ roomLight: on ? 0.9 : 0.2 }), true],
  ];
  const turned = device.bench.setups.includes(setup) && arrangement.setup !== setup;
  return (
    <section aria-label="Simulated bench" className="mt-4 flex flex-col gap-2">
      <h3 className="m-0 text-sm font-semibold">Simulated bench</h3>
      <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
        Object
        <select
          value={arrangement.object}
          disabled={recording}
          onChange={(e) => arrange({ object: e.target.value })}
          className={box}
        >
          {device.bench.objects.map((o) => (
            <option key={o.id} value={o.id}>
              {o.name}
            </option>
          ))}
        </select>
      </label>
      <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
        Lies
        <select
          value={arrangement.setup}
          disabled={recording}
          onChange={(e) => arrange({ setup: e.target.value })}
          className={box}
        >
          {device.bench.setups.map((s) => (
            <option key={s}>{s}</option>
          ))}
        </select>
      </label>
      {turned && !recording && (
        <Button onClick={() => arrange({ setup })}>Turn the object: {setup.toLowerCase()}</Button>
      )}
      <div className="grid grid-cols-2 gap-x-2 gap-y-1">
        {switches.map(([title, on, change, always]) => (
          <label key={title} className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={on}
              disabled={recording && !always}
              onChange={(e) => arrange(change(e.target.checked))}
            />
            {title}
          </label>
        ))}
      </div>
      {device.bench.sweeps.length > 0 && (
        <div className="grid grid-cols-[1fr_5rem_auto] items-end gap-2">
          <label className="block">
            Sweep
            <select value={sweep} onChange={(e) => setSweep(e.target.value)} className={`${box} w-full`}>
              {device.bench.sweeps.map((s) => (
                <option key={s.id} value={s.id}>
                  {s.name}
                </option>
              ))}
            </select>
          </label>
          <label className="block">
            Speed
            <select value={speed} onChange={(e) => setSpeed(Number(e.target.value))} className={`${box} w-full`}>
              {[0.5, 1, 2, 3].map((v) => (
                <option key={v} value={v}>
                  {v}×
                </option>
              ))}
            </select>
          </label>
          <Button onClick={() => tell(bench.sweep ? { type: 'bench', sweep: null } : { type: 'bench', sweep, speed })}>
            {bench.sweep ? 'Stop' : 'Go'}
          </Button>
        </div>
      )}
    </section>
  );
}
