import { Button } from '../../../shared/controls';
import { captureClient } from './capture-client';
import { ChoiceRow } from './choice-row';

interface TurntableChoice {
  stops: number;
  colorViews: number;
}

/** How a turntable is led: stops for the shape, sides for the colour, the empty support first. */
export function TurntableOptions({
  stops,
  colorViews,
  onChange,
}: TurntableChoice & { onChange(choice: TurntableChoice): void }) {
  return (
    <>
      <ChoiceRow
        title="Stops"
        value={stops}
        choices={[6, 8, 12, 18, 24, 36].map((n) => [n, `${n} of ${360 / n}°`])}
        onChange={(v) => onChange({ stops: v, colorViews })}
      />
      <ChoiceRow
        title="Colour"
        value={colorViews}
        choices={[
          [0, 'with the shape only'],
          ...[2, 3, 4, 6].map((n): [number, string] => [n, `afterwards, from ${n} sides`]),
        ]}
        onChange={(v) => onChange({ stops, colorViews: v })}
      />
      <Button
        onClick={() => captureClient.learnEmpty()}
        title="Take the object off first. What is seen then is left out of every stop: table, block, clamp."
      >
        Learn the empty support
      </Button>
    </>
  );
}
