import { useId } from 'react';

/** A setup's name: one of those the piece has, or a new one. */
export function SetupInput({
  setups,
  value,
  onChange,
  label,
  className = '',
}: {
  setups: readonly string[];
  value: string;
  onChange: (setup: string) => void;
  /** Where no label stands beside it. */
  label?: string;
  className?: string;
}) {
  const id = useId();
  return (
    <>
      <input
        list={id}
        aria-label={label}
        placeholder="Setup"
        value={value}
        onChange={(e) => onChange(e.target.value)}
        maxLength={80}
        required
        className={`rounded-lg border border-[var(--field)] bg-panel px-2 py-1 ${className}`}
      />
      <datalist id={id}>
        {setups.map((s) => (
          <option key={s} value={s} />
        ))}
      </datalist>
    </>
  );
}
