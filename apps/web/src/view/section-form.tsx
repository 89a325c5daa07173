import type { Section } from '../app/view-slice';
import { Button } from '../shared/controls';
import { NumberRow } from '../shared/number-row';

/** Where the section lies and how thick it is. */
export function SectionForm({
  section,
  extent,
  onChange,
  onLook,
}: {
  section: Section;
  /** What is shown along the axis, from and to, mm. */
  extent: readonly [number, number];
  onChange: (section: Section) => void;
  onLook: () => void;
}) {
  const [from, to] = extent;
  const reach = Math.max(1e-6, to - from);
  const at = from + section.at * reach;
  return (
    <section
      aria-label="Section"
      className="absolute right-3 top-3 flex w-72 flex-col gap-2 rounded-lg border border-line bg-panel px-3 py-2"
    >
      <div className="flex items-center gap-1">
        <span className="flex-1">Across</span>
        {(['x', 'y', 'z'] as const).map((axis) => (
          <Button
            key={axis}
            aria-pressed={axis === section.axis}
            aria-label={`Across ${axis.toUpperCase()}`}
            className={`px-2.5! ${axis === section.axis ? 'border-teal! bg-teal-soft!' : ''}`}
            onClick={() => onChange({ ...section, axis })}
          >
            {axis.toUpperCase()}
          </Button>
        ))}
        <Button onClick={onLook} title="Looks at the section as at a drawing">
          Look at it
        </Button>
      </div>
      <input
        type="range"
        aria-label="Place of the section"
        min={0}
        max={1}
        step={0.002}
        value={section.at}
        onChange={(e) => onChange({ ...section, at: e.target.valueAsNumber })}
        className="w-full accent-[var(--amber)]"
      />
      <NumberRow
        title="Place"
        unit="mm"
        min={from}
        max={to}
        step={0.5}
        value={Math.round(10 * at) / 10}
        onChange={(v) => onChange({ ...section, at: (v - from) / reach })}
      />
      <NumberRow
        title="Thickness"
        unit="mm"
        min={0.1}
        max={Math.max(1, reach)}
        step={0.5}
        value={section.thickness}
        onChange={(thickness) => onChange({ ...section, thickness })}
      />
    </section>
  );
}
