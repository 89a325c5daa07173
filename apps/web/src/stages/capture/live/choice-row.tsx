/** A choice among numbers, one line of a form. */
export function ChoiceRow({
  title,
  value,
  choices,
  disabled = false,
  onChange,
}: {
  title: string;
  value: number;
  choices: [number, string][];
  disabled?: boolean;
  onChange(value: number): void;
}) {
  return (
    <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
      {title}
      <select
        value={value}
        disabled={disabled}
        onChange={(e) => onChange(Number(e.target.value))}
        className="min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
      >
        {choices.map(([v, text]) => (
          <option key={v} value={v}>
            {text}
          </option>
        ))}
      </select>
    </label>
  );
}
