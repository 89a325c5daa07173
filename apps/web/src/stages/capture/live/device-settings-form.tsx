import type { ClientMessage, DeviceInfo, DeviceSettings } from '@amber-knit/device-protocol';

/** The device's own settings, as it describes them. */
export function DeviceSettingsForm({
  device,
  settings,
  tell,
}: {
  device: DeviceInfo | null;
  settings: DeviceSettings | null;
  tell(message: ClientMessage): void;
}) {
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
            onChange={(e) => tell({ type: 'settings', values: { [s.name]: Number(e.target.value) } })}
            className="w-full accent-[var(--amber)]"
          />
          <span className="block text-muted">{s.help}</span>
        </label>
      ))}
    </section>
  );
}
