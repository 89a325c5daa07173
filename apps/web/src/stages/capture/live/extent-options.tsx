import { ChoiceRow } from './choice-row';

interface ExtentChoice {
  coarse: boolean;
  /** One object, within so far from where recording begins to aim, mm; 0 = the whole scene. */
  within: number;
}

/** How densely and how much of a room is kept. */
export function ExtentOptions({
  coarse,
  within,
  recording,
  onChange,
}: ExtentChoice & { recording: boolean; onChange(choice: ExtentChoice): void }) {
  return (
    <>
      <ChoiceRow
        title="Profile"
        value={coarse ? 1 : 0}
        disabled={recording}
        choices={[
          [0, 'Fine: every view counts'],
          [1, 'Coarse: quick, half as dense'],
        ]}
        onChange={(v) => onChange({ coarse: v === 1, within })}
      />
      <ChoiceRow
        title="Extent"
        value={within}
        choices={[
          [0, 'Whole scene'],
          ...[200, 400, 700, 1200].map((r): [number, string] => [r, `One object, within ${r} mm`]),
        ]}
        onChange={(v) => onChange({ coarse, within: v })}
      />
      {within > 0 && (
        <p className="m-0 text-muted">Kept is what lies that near to the place you aim at when recording begins.</p>
      )}
    </>
  );
}
