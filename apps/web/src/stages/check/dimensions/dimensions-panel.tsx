import { useEffect, useState } from 'react';
import { LocateFixed, Trash2, TriangleAlert } from 'lucide-react';
import { againstNominal, type Dimension, type MeasuredDimension } from '@amber-knit/core/dimensions';
import type { RegionKind } from '@amber-knit/core/fitting';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { dimensionText, lengthText, measuredText } from '@amber-knit/operations/quantity-text';
import { api, problemText } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { placeLookedAt, toolChosen } from '../../../app/view-slice';
import { saveAs } from '../../../shared/save-as';
import { Button, SelectRow, IconButton, Notice } from '../../../shared/controls';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { cautions, KIND_WORDS, SHAPE_WORDS, wordsOf } from './dimension-words';
import { dimensionsDesk, type DimensionRow } from './dimensions-desk';
import { useSentSheet } from '../use-sent-sheet';
import { useSheet } from './use-sheet';

const AXES: [string, [number, number, number]][] = [
  ['X', [1, 0, 0]],
  ['Y', [0, 1, 0]],
  ['Z', [0, 0, 1]],
];
const same = (a: readonly number[], b: readonly number[]): boolean => a.every((v, k) => v === b[k]);

/** What is measured on the piece: kinds to pick, and the list of what was picked. */
export function DimensionsPanel({ piece, steps, busy }: StagePanelProps) {
  const meshId = piece.mesh?.id;
  const { sheet, rows, isLoading } = useSheet(piece);
  const { tool, wanted, selected, failed } = useStore(dimensionsDesk);
  const [run, { error, isLoading: isSending }] = api.useRunOperationMutation();
  const dispatch = useAppDispatch();
  useEffect(() => () => dimensionsDesk.clear(), [piece.id]);
  useEffect(() => {
    if (!isLoading) dimensionsDesk.settled(sheet);
  }, [sheet, isLoading, wanted]);
  const { error: notKept, isSending: isKeeping } = useSentSheet(
    { piece, steps, busy },
    {
      wanted,
      ready: !isLoading,
      operationId: OPERATION_IDS.checkMeasure,
      params: (dimensions) => ({ dimensions }),
      refused: () => dimensionsDesk.refused(),
    },
  );
  if (!meshId) return null;
  const kept = sheet?.asked ?? [];
  const { hints } = tool.kind ? wordsOf(tool.kind) : { hints: [] };
  return (
    <section aria-label="Dimensions" className="border-b border-line py-3">
      <h3 className="m-0 mb-2 text-sm font-semibold">Dimensions</h3>
      <div className="grid grid-cols-4 gap-1" role="group" aria-label="What to measure">
        {KIND_WORDS.map(({ kind, title, Icon, help }) => (
          <Button
            key={kind}
            title={help}
            aria-pressed={tool.kind === kind}
            className="flex-col gap-0.5! px-1! text-[12px] aria-pressed:border-teal! aria-pressed:bg-teal-soft!"
            onClick={() => {
              dispatch(toolChosen('turn'));
              dimensionsDesk.choose(kind, meshId, kept);
            }}
          >
            <Icon size={17} aria-hidden /> {title}
          </Button>
        ))}
      </div>
      {(tool.kind === 'shape' || tool.kind === 'relation') && (
        <SelectRow
          title="Shape to find"
          value={tool.shape}
          choices={SHAPE_WORDS}
          onChange={(shape) => dimensionsDesk.set({ shape })}
        />
      )}
      {tool.kind === 'section' && (
        <Directions value={tool.direction} onChange={(direction) => dimensionsDesk.set({ direction })} />
      )}
      {tool.kind && <p className="mb-0 mt-2 text-muted">{hints[tool.places.length]}</p>}
      {failed && <Notice tone="error">{failed}</Notice>}
      {(error ?? notKept) !== undefined && <Notice tone="error">{problemText(error ?? notKept)}</Notice>}
      {rows.length === 0 && !tool.kind && (
        <p className="mb-0 mt-2 text-muted">
          Nothing is measured yet. Choose what to measure, then click in the view. What you measure stays with the piece
          and goes into its report.
        </p>
      )}
      {rows.length > 0 && (
        <ol className="m-0 mt-2 flex list-none flex-col gap-0.5 p-0">
          {rows.map((row, i) => (
            <Row
              key={i}
              row={row}
              number={i + 1}
              on={selected === i}
              onSelect={() => dimensionsDesk.select(selected === i ? null : i)}
              onLook={() => {
                const { found } = row;
                dimensionsDesk.select(i);
                if (found) dispatch(placeLookedAt({ place: found.label, size: sizeOf(row) }));
              }}
              onRemove={() => dimensionsDesk.remove(i, kept)}
              onChange={(change) => dimensionsDesk.change(i, change, meshId, kept)}
              meshId={meshId}
              busy={busy || wanted !== null}
              onScale={(factor) =>
                void run({
                  pieceId: piece.id,
                  operationId: OPERATION_IDS.cleanRescale,
                  params: { was: 'factor', factor },
                })
              }
              onUpright={(axis) =>
                void run({
                  pieceId: piece.id,
                  operationId: OPERATION_IDS.checkUpright,
                  params: { up: 'direction', direction: axis.map((c) => c.toFixed(6)).join(', ') },
                })
              }
            />
          ))}
        </ol>
      )}
      {!piece.dimensionsFresh && !wanted && rows.length > 0 && (
        <div className="mt-2 flex items-center gap-2">
          <span className="flex-1">
            <TriangleAlert size={15} className="mr-1 inline align-[-2px]" aria-hidden />
            Out of date: the surface, or what it was compared with, has changed since.
          </span>
          <Button
            disabled={busy || isSending || isKeeping}
            onClick={() =>
              void run({ pieceId: piece.id, operationId: OPERATION_IDS.checkMeasure, params: { dimensions: kept } })
            }
          >
            Measure anew
          </Button>
        </div>
      )}
    </section>
  );
}

/** How much around a dimension is to be seen, mm. */
function sizeOf({ found }: DimensionRow): number {
  const all = found?.lines.flat() ?? [];
  const reach = [0, 1, 2].map((k) => {
    const values = all.filter((_, i) => i % 3 === k);
    return values.length > 0 ? Math.max(...values) - Math.min(...values) : 0;
  });
  return Math.max(20, 0.7 * Math.hypot(...reach));
}

function Row({
  row: { asked, found },
  number,
  on,
  meshId,
  onSelect,
  onLook,
  onRemove,
  onChange,
  onUpright,
  onScale,
  busy,
}: {
  row: DimensionRow;
  /** Its place in the list, by which the view names it. */
  number: number;
  on: boolean;
  meshId: string;
  onSelect(): void;
  onLook(): void;
  onRemove(): void;
  onChange(change: Partial<Dimension>): void;
  onUpright(axis: readonly number[]): void;
  onScale(factor: number): void;
  busy: boolean;
}) {
  const words = wordsOf(asked.kind);
  const careful = found ? cautions(found) : [];
  return (
    <li className={`rounded-lg px-1 ${on ? 'bg-teal-soft' : 'hover:bg-sunk'}`}>
      <div className="flex items-center gap-1.5">
        <button
          type="button"
          aria-expanded={on}
          onClick={onSelect}
          className="flex min-h-[28px] min-w-0 flex-1 items-center gap-2 border-0 bg-transparent p-0 text-left text-ink"
        >
          <b className="num w-4 shrink-0 text-right">{number}</b>
          <words.Icon size={15} aria-hidden className="shrink-0" />
          <span className="min-w-0 flex-1 truncate">{asked.name}</span>
          <span className="num max-w-[55%] truncate">
            {!found ? 'measuring …' : found.fault ? 'not measured' : dimensionText(asked, found)}
          </span>
        </button>
        <IconButton label={`Go to ${asked.name}`} onClick={onLook}>
          <LocateFixed size={15} aria-hidden />
        </IconButton>
        <IconButton label={`Remove ${asked.name}`} onClick={onRemove}>
          <Trash2 size={15} aria-hidden />
        </IconButton>
      </div>
      {careful.map((text) => (
        <p key={text} className="m-0 pb-1 pl-6 text-brick">
          <TriangleAlert size={14} className="mr-1 inline align-[-2px]" aria-hidden />
          {text}
        </p>
      ))}
      {on && (
        <div className="flex flex-col gap-1 pb-2 pl-6">
          <dl className="m-0 grid grid-cols-[1fr_auto] gap-x-2">
            {found?.shapes && (
              <div className="contents">
                <dt className="text-muted">Found</dt>
                <dd className="m-0 text-right">{found.shapes.map((k) => SHAPE_WORDS[k as RegionKind]).join(', ')}</dd>
              </div>
            )}
            {found?.values.map((v) => (
              <div key={v.label} className="contents">
                <dt className="text-muted">{v.label}</dt>
                <dd className="num m-0 text-right">{measuredText(v)}</dd>
              </div>
            ))}
          </dl>
          <TextRow title="Name" value={asked.name} most={80} onChange={(name) => name.trim() && onChange({ name })} />
          <TextRow title="Note" value={asked.note} most={400} onChange={(note) => onChange({ note })} />
          {found && !found.fault && (
            <NominalRows asked={asked} found={found} busy={busy} onChange={onChange} onScale={onScale} />
          )}
          {found?.axes?.[0] && (
            <Button
              disabled={busy}
              onClick={() => onUpright(found.axes![0])}
              title="Turns the piece so that this axis or normal points up, and puts it on the ground"
            >
              Set upright along it
            </Button>
          )}
          {asked.kind === 'section' && <SectionRows asked={asked} meshId={meshId} onChange={onChange} />}
          {asked.kind === 'holds' && (
            <NumberRow
              title="Level"
              help="Height of the liquid's surface; empty the field's change by removing the dimension and asking anew."
              unit="mm"
              min={-1e6}
              max={1e6}
              step={1}
              value={asked.level ?? found?.values[1]?.value ?? 0}
              onChange={(level) => onChange({ level })}
            />
          )}
        </div>
      )}
    </li>
  );
}

/** What a dimension should be, how far it is off, and what scale that would mean. */
function NominalRows({
  asked,
  found,
  busy,
  onChange,
  onScale,
}: {
  asked: Dimension;
  found: MeasuredDimension;
  busy: boolean;
  onChange(change: Partial<Dimension>): void;
  onScale(factor: number): void;
}) {
  const [sure, setSure] = useState(false);
  if (found.values[0].kind !== 'length' || asked.kind === 'note') return null;
  const off = againstNominal(asked, found);
  return (
    <>
      <NumberRow
        title="Should be"
        help="From the plan, or a length that is known for sure."
        unit="mm"
        min={0.001}
        max={1e6}
        step={0.1}
        value={asked.nominal ?? NaN}
        onChange={(nominal) => onChange({ nominal })}
      />
      {off && (
        <p className="m-0 text-muted">
          {lengthText(Math.abs(off.difference))} {off.difference >= 0 ? 'more' : 'less'} than it should be.
        </p>
      )}
      {off?.scale !== undefined && Math.abs(off.scale - 1) > 1e-6 && (
        <div className="flex flex-col gap-1">
          <p className="m-0 text-muted">
            If this length is known for sure, all lengths are to be multiplied by{' '}
            <b className="num">{off.scale.toFixed(5)}</b>
            {off.scaleUncertainty ? <span className="num"> ± {(2 * off.scaleUncertainty).toFixed(5)}</span> : null}.
          </p>
          {sure ? (
            <div className="flex gap-1">
              <Button
                tone="go"
                disabled={busy}
                onClick={() => {
                  setSure(false);
                  onScale(off.scale!);
                }}
              >
                Scale all scans
              </Button>
              <Button onClick={() => setSure(false)}>Leave it</Button>
            </div>
          ) : (
            <Button disabled={busy} onClick={() => setSure(true)} title="Scans are scaled; then fuse anew">
              Set the scale by it …
            </Button>
          )}
        </div>
      )}
    </>
  );
}

/** Where a section lies, and its drawing to take along. */
function SectionRows({
  asked,
  meshId,
  onChange,
}: {
  asked: Dimension;
  meshId: string;
  onChange(change: Partial<Dimension>): void;
}) {
  const [fault, setFault] = useState<string | null>(null);
  const direction = asked.direction ?? [0, 0, 1];
  const axis = AXES.findIndex(([, d]) => same(d, direction));
  const take = (format: 'svg' | 'dxf'): void =>
    void dimensionsDesk
      .drawing(format, asked, meshId)
      .then((bytes) => saveAs(bytes, `${asked.name}.${format}`, format === 'svg' ? 'image/svg+xml' : 'image/vnd.dxf'))
      .catch((e: unknown) => setFault(e instanceof Error ? e.message : String(e)));
  return (
    <>
      <Directions value={direction} onChange={(d) => onChange({ direction: d })} />
      {axis >= 0 && (
        <NumberRow
          title="Place"
          unit="mm"
          min={-1e6}
          max={1e6}
          step={0.5}
          value={asked.places[0][axis]}
          onChange={(v) =>
            onChange({ places: [asked.places[0].map((c, k) => (k === axis ? v : c)) as [number, number, number]] })
          }
        />
      )}
      <div className="flex gap-1" role="group" aria-label="Drawing in true scale">
        <Button onClick={() => take('svg')}>Drawing (SVG)</Button>
        <Button onClick={() => take('dxf')}>Drawing (DXF)</Button>
      </div>
      {fault && <Notice tone="error">{fault}</Notice>}
    </>
  );
}

function Directions({
  value,
  onChange,
}: {
  value: readonly number[];
  onChange(direction: [number, number, number]): void;
}) {
  return (
    <div className="mt-1 flex items-center gap-1" role="group" aria-label="Direction across the section">
      <span className="flex-1">Across</span>
      {AXES.map(([name, direction]) => (
        <Button
          key={name}
          aria-pressed={same(direction, value)}
          aria-label={`Across ${name}`}
          className="px-2.5! aria-pressed:border-teal! aria-pressed:bg-teal-soft!"
          onClick={() => onChange(direction)}
        >
          {name}
        </Button>
      ))}
    </div>
  );
}

/** A text that is taken when one leaves its field. */
function TextRow({
  title,
  value,
  most,
  onChange,
}: {
  title: string;
  value: string;
  most: number;
  onChange(text: string): void;
}) {
  return (
    <label className="grid grid-cols-[1fr_8.6rem] items-center gap-2">
      {title}
      <input
        key={value}
        defaultValue={value}
        maxLength={most}
        onBlur={(e) => e.target.value !== value && onChange(e.target.value)}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        className="w-full min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
      />
    </label>
  );
}
