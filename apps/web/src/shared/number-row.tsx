import { useState } from 'react';

/** A number with its unit, one line of a form. What is typed stands as typed until one leaves the field. */
export function NumberRow({
  title,
  help,
  unit,
  value,
  min,
  max,
  step,
  onChange,
}: {
  title: string;
  help?: string;
  unit: string;
  value: number;
  min: number;
  max: number;
  step: number;
  onChange(value: number): void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <label className="grid grid-cols-[1fr_8.6rem] items-center gap-2" title={help}>
      <span>{title}</span>
      <span className="flex items-center gap-1">
        <input
          type="number"
          min={min}
          max={max}
          step={step}
          value={typed ?? (Number.isFinite(value) ? Math.round(value * 1000) / 1000 : '')}
          onBlur={() => setTyped(null)}
          onChange={(e) => {
            setTyped(e.target.value);
            const v = e.target.valueAsNumber;
            if (Number.isFinite(v)) onChange(Math.max(min, Math.min(max, v)));
          }}
          className="num w-full min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        />
        <span className="w-7">{unit}</span>
      </span>
    </label>
  );
}
