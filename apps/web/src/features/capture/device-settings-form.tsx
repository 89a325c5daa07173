import { useSyncExternalStore } from 'react';
import { captureClient } from './capture-client';

/** The device's own settings, as it describes them. */
export function DeviceSettingsForm() {
  const { device, settings } = useSyncExternalStore(captureClient.subscribe, captureClient.current);
  if (!device || !settings) return null;
  return (
    <section aria-label="Device settings" className="mt-4 flex flex-col gap-2">
      <h3 className="m-0 text-sm font-semibold">{device.name}</h3>
      {device.settings.map((s) => (
        <label key={s.name} className="block" title={s.help}>
          <span className="flex justify-between">
            {s.title}
            <span className="num">
              {settings[s.name]} {s.unit}
            </span>
          </span>
          <input
            type="range"
            min={s.min}
            max={s.max}
            step={s.step}
            value={settings[s.name]}
            onChange={(e) => captureClient.tell({ type: 'settings', values: { [s.name]: Number(e.target.value) } })}
            className="w-full accent-[var(--amber)]"
          />
          <span className="block text-muted">{s.help}</span>
        </label>
      ))}
    </section>
  );
}
