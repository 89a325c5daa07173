import { useEffect, useState } from 'react';
import { ArrowDownToLine, LocateFixed, Move3d, Redo2, SquareStack, Trash2, TriangleAlert, Undo2 } from 'lucide-react';
import { transformPoint, type Vec3 } from '@amber-knit/core/math';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { problemText } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { comparedWith, lightShown, placeLookedAt, sectionSet } from '../../../app/view-slice';
import { Button, Check, IconButton, Notice } from '../../../shared/controls';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { useSentSheet } from '../use-sent-sheet';
import { placingDesk, type PlacingRow, type PlacingTool } from './placing-desk';
import { foundLines, foundText, placingCautions, STATE_WORDS } from './placing-words';
import { SurroundingsChooser } from './surroundings-chooser';
import { usePlacings } from './use-placings';
import { WayChart } from './way-chart';

const TOOLS: readonly { tool: PlacingTool; title: string; Icon: typeof Move3d; help: string }[] = [
  { tool: 'move', title: 'Move', Icon: Move3d, help: 'Handles in the view move and turn the piece' },
  { tool: 'set-down', title: 'Set down', Icon: ArrowDownToLine, help: 'Click a place: the piece stands on it' },
  {
    tool: 'lay-on',
    title: 'Lay on',
    Icon: SquareStack,
    help: 'Click a face or a round part of the piece, then one of the surroundings: they are laid on one another',
  },
];
const AXES = ['X', 'Y', 'Z'] as const;

/** The piece in another scanned place: how much room there is, where it clashes, and whether it gets there. */
export function PlacingPanel({ piece, steps, busy }: StagePanelProps) {
  const { sheet, rows, isLoading } = usePlacings(piece);
  const { open, tool, live, fresh, wanted, failed, motion, canUndo, canRedo, size, selected, seeThrough } =
    useStore(placingDesk);
  const [ways, setWays] = useState<boolean | null>(null);
  const dispatch = useAppDispatch();
  useEffect(() => () => placingDesk.clear(), [piece.id]);
  useEffect(() => {
    if (!isLoading) placingDesk.settled(sheet);
  }, [sheet, isLoading, wanted]);
  const withWays = ways ?? (sheet?.ways.length ?? 0) > 0;
  const { error } = useSentSheet(
    { piece, steps, busy },
    {
      wanted,
      ready: !isLoading,
      operationId: OPERATION_IDS.checkPlacings,
      params: (placings) => ({ placings, ways: withWays }),
      refused: () => placingDesk.refused(),
    },
  );
  const { mesh, surroundings } = piece;
  if (!mesh) return null;
  const kept = sheet?.asked ?? [];
  const begin = (row?: PlacingRow): void => {
    dispatch(comparedWith(null));
    dispatch(sectionSet(null));
    dispatch(lightShown(false));
    void placingDesk.begin(mesh.id, surroundings!.id, row?.asked);
  };
  const numbers = placingDesk.numbers;
  return (
    <section aria-label="In another place" className="border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">In another place</h3>
      {!surroundings && (
        <p className="mb-2 mt-0 text-muted">
          Puts the piece into another scanned place and tells how much room there is, where the two clash, and how tight
          it gets on the way.
        </p>
      )}
      {surroundings && (
        <p className="mb-2 mt-0">
          In <b>{String(surroundings.facts.name)}</b>
        </p>
      )}
      {surroundings && !open && (
        <Button tone="go" onClick={() => begin()}>
          <Move3d size={16} aria-hidden /> Place it
        </Button>
      )}
      {open && (
        <div className="flex flex-col gap-2">
          <div className="grid grid-cols-3 gap-1" role="group" aria-label="How to place">
            {TOOLS.map(({ tool: one, title, Icon, help }) => (
              <Button
                key={one}
                title={help}
                aria-pressed={tool === one}
                className="flex-col gap-0.5! px-1! text-[12px] aria-pressed:border-teal! aria-pressed:bg-teal-soft!"
                onClick={() => placingDesk.choose(one)}
              >
                <Icon size={17} aria-hidden /> {title}
              </Button>
            ))}
          </div>
          <div className="rounded-lg border border-line bg-sunk px-2.5 py-2" role="status" aria-label="How it lies">
            <div className="flex items-baseline justify-between">
              <b className={live?.state === 'clash' ? 'text-brick' : ''}>
                {live?.state === 'clash' && (
                  <TriangleAlert size={15} className="mr-1 inline align-[-2px]" aria-hidden />
                )}
                {live ? STATE_WORDS[live.state] : 'Setting up …'}
              </b>
              <span className="text-muted">{live && !fresh ? 'looking …' : ''}</span>
            </div>
            {live && (
              <dl className="m-0 grid grid-cols-[1fr_auto] gap-x-2">
                {foundLines(live).map(([label, text]) => (
                  <div key={label} className="contents">
                    <dt className="text-muted">{label}</dt>
                    <dd className="num m-0 text-right">{text}</dd>
                  </div>
                ))}
              </dl>
            )}
            {live && placingCautions(live).map((text) => <Caution key={text}>{text}</Caution>)}
          </div>
          <Check checked={seeThrough} onChange={() => placingDesk.seeThrough(!seeThrough)}>
            See through the surroundings
          </Check>
          {failed && <Notice tone="error">{failed}</Notice>}
          {numbers && (
            <div className="flex flex-col gap-1">
              {AXES.map((name, k) => (
                <NumberRow
                  key={name}
                  title={`Middle, ${name}`}
                  unit="mm"
                  min={-1e6}
                  max={1e6}
                  step={1}
                  value={numbers.middle[k]}
                  onChange={(v) =>
                    (placingDesk.numbers = {
                      ...numbers,
                      middle: numbers.middle.map((c, i) => (i === k ? v : c)) as Vec3,
                    })
                  }
                />
              ))}
              {AXES.map((name, k) => (
                <NumberRow
                  key={name}
                  title={`Turned about ${name}`}
                  unit="°"
                  min={-180}
                  max={180}
                  step={5}
                  value={numbers.turns[k]}
                  onChange={(v) =>
                    (placingDesk.numbers = {
                      ...numbers,
                      turns: numbers.turns.map((c, i) => (i === k ? v : c)) as Vec3,
                    })
                  }
                />
              ))}
            </div>
          )}
          <div className="flex flex-wrap gap-1">
            <Button tone="go" disabled={!motion || !size} onClick={() => placingDesk.keep(kept)}>
              Keep this placing
            </Button>
            <Button
              aria-label="Take back the last move"
              disabled={!canUndo}
              onClick={() => placingDesk.step('undo')}
              className="px-2"
            >
              <Undo2 size={15} aria-hidden />
            </Button>
            <Button
              aria-label="Do the move again"
              disabled={!canRedo}
              onClick={() => placingDesk.step('redo')}
              className="px-2"
            >
              <Redo2 size={15} aria-hidden />
            </Button>
            <Button
              disabled={!motion || !size}
              onClick={() =>
                dispatch(
                  placeLookedAt({
                    place: transformPoint(Float64Array.from(motion!), ...size!.middle),
                    size: 1.2 * size!.radius,
                  }),
                )
              }
            >
              <LocateFixed size={15} aria-hidden /> Go there
            </Button>
            <Button onClick={() => placingDesk.end()}>Done</Button>
          </div>
        </div>
      )}
      {error !== undefined && <Notice tone="error">{problemText(error)}</Notice>}
      {rows.length > 0 && (
        <>
          <ol className="m-0 mt-2 flex list-none flex-col gap-0.5 p-0" aria-label="Placings">
            {rows.map((row, i) => (
              <li key={i} className={`rounded-lg px-1 ${selected === i ? 'bg-teal-soft' : 'hover:bg-sunk'}`}>
                {row.way && <WayChart way={row.way} from={rows[i - 1].asked.name} to={row.asked.name} />}
                <Row
                  row={row}
                  on={selected === i}
                  disabled={!surroundings}
                  onGo={() => (open ? placingDesk.goTo(i, row.asked) : begin(row))}
                  onName={(name) => placingDesk.change(i, { name }, kept)}
                  onRemove={() => placingDesk.remove(i, kept)}
                />
              </li>
            ))}
          </ol>
          {rows.length > 1 && (
            <div className="mt-1 flex flex-wrap items-center gap-2">
              <Check checked={withWays} onChange={() => setWays(!withWays)}>
                Look at the ways between
              </Check>
              {withWays !== (sheet?.ways.length ?? 0) > 0 && (
                <Button disabled={busy || wanted !== null} onClick={() => placingDesk.again(kept)}>
                  Look now
                </Button>
              )}
            </div>
          )}
        </>
      )}
      {!piece.placingsFresh && !wanted && rows.length > 0 && (
        <div className="mt-2 flex items-center gap-2">
          <Caution>Out of date: the surface has changed since.</Caution>
          <Button disabled={busy} onClick={() => placingDesk.again(kept)}>
            Look anew
          </Button>
        </div>
      )}
      {!open && <SurroundingsChooser piece={piece} busy={busy} />}
    </section>
  );
}

function Caution({ children }: { children: string }) {
  return (
    <p className="m-0 flex-1 text-brick">
      <TriangleAlert size={14} className="mr-1 inline align-[-2px]" aria-hidden />
      {children}
    </p>
  );
}

function Row({
  row: { asked, found },
  on,
  disabled,
  onGo,
  onName,
  onRemove,
}: {
  row: PlacingRow;
  on: boolean;
  disabled: boolean;
  onGo(): void;
  onName(name: string): void;
  onRemove(): void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <>
      <div className="flex items-center gap-1.5">
        <button
          type="button"
          disabled={disabled}
          aria-pressed={on}
          onClick={onGo}
          title="Puts the piece there"
          className="flex min-h-[28px] min-w-0 flex-1 items-center gap-2 border-0 bg-transparent p-0 text-left text-ink"
        >
          <span className="min-w-0 flex-1 truncate">{asked.name}</span>
          <span className={`num ${found?.state === 'clash' ? 'text-brick' : ''}`}>
            {found?.state === 'clash' && <TriangleAlert size={13} className="mr-1 inline align-[-2px]" aria-hidden />}
            {found ? `${found.state === 'clear' ? 'clear ' : ''}${foundText(found)}` : 'looking …'}
          </span>
        </button>
        <IconButton label={`Remove ${asked.name}`} onClick={onRemove}>
          <Trash2 size={15} aria-hidden />
        </IconButton>
      </div>
      {on && (
        <label className="flex items-center gap-2 pb-1.5">
          Name
          <input
            value={typed ?? asked.name}
            maxLength={80}
            onChange={(e) => setTyped(e.target.value)}
            onBlur={() => {
              if (typed?.trim() && typed.trim() !== asked.name) onName(typed.trim());
              setTyped(null);
            }}
            className="min-w-0 flex-1 rounded-lg border border-[var(--field)] bg-panel px-2 py-1 text-ink"
          />
        </label>
      )}
      {found && placingCautions(found).map((text) => <Caution key={text}>{text}</Caution>)}
    </>
  );
}
