import { memo } from 'react';
import { Ban, Eye, EyeOff, Focus, Lock } from 'lucide-react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { ScanView } from '@amber-knit/contracts';
import { api } from '../api/api';
import { useAppDispatch, useAppSelector } from '../app/store';
import { scanHidden, scanIsolated } from '../app/view-slice';
import { shortCountText } from '@amber-knit/operations/quantity-text';
import { StateGlyph, stateWord } from '../shared/state-glyph';
import { strandColor } from '../shared/strand-colors';
import { CoverageSparkline } from './coverage-sparkline';

/** What is being dragged: ids of scans, as JSON. */
export const STRANDS_DRAGGED = 'application/x-strands';

const ICON =
  'inline-flex h-[24px] w-[24px] items-center justify-center border-0 bg-transparent p-0 text-muted hover:text-ink';

/**
 * One scan of the list: state, name, points; taken out, alone, hidden. Its name opens its card. Drawn anew only when
 * something of its own changes: there may be hundreds.
 */
export const StrandRow = memo(function StrandRow({
  pieceId,
  scan,
  chosen,
  reached,
  draggedWith,
  onChoose,
  onOpen,
}: {
  pieceId: string;
  scan: ScanView;
  chosen: boolean;
  /** Whether Tab comes to it: of the whole list to one strand only. */
  reached: boolean;
  /** The scans that go along when this one is dragged. */
  draggedWith: (id: string) => readonly string[];
  onChoose: (id: string) => void;
  onOpen: (id: string) => void;
}) {
  const isolated = useAppSelector((s) => s.view.isolated === scan.id);
  const off = useAppSelector(({ view }) => (view.isolated ? view.isolated !== scan.id : view.hidden.includes(scan.id)));
  const dispatch = useAppDispatch();
  const [run] = api.useRunOperationMutation();
  const excluded = scan.placement.state === 'excluded';
  const tabIndex = reached ? 0 : -1;
  return (
    <li
      draggable
      onDragStart={(e) => e.dataTransfer.setData(STRANDS_DRAGGED, JSON.stringify(draggedWith(scan.id)))}
      className={`group flex items-center gap-1.5 px-3 py-1.5 hover:bg-sunk ${chosen ? 'bg-teal-soft' : ''} ${off ? 'opacity-60' : ''}`}
    >
      <label className="relative block h-[17px] w-[17px] shrink-0 cursor-pointer" title="Choose">
        <input
          type="checkbox"
          aria-label={`Choose ${scan.name}`}
          checked={chosen}
          tabIndex={tabIndex}
          onChange={() => onChoose(scan.id)}
          className="peer absolute inset-0 m-0 h-full w-full opacity-0 accent-[var(--amber)] checked:opacity-100 focus-visible:opacity-100 group-hover:opacity-100"
        />
        <span className="block peer-checked:invisible peer-focus-visible:invisible group-hover:invisible">
          <StateGlyph state={scan.placement.state} color={strandColor(scan.colorIndex)} size={17} />
        </span>
      </label>
      <button
        type="button"
        onClick={() => onOpen(scan.id)}
        data-strand={scan.id}
        tabIndex={tabIndex}
        aria-label={`Card of ${scan.name}`}
        title={scan.note ? `${scan.name}: ${scan.note}` : 'Opens its card: name, setup, colour, note'}
        className="min-w-0 flex-1 border-0 bg-transparent p-0 text-left text-ink"
      >
        <span className="flex items-center gap-1">
          <span className="truncate">{scan.name}</span>
          {scan.placement.locked && <Lock size={13} role="img" aria-label="locked" className="shrink-0" />}
        </span>
        <span className="num block truncate text-muted">
          {shortCountText(Number(scan.cloud.facts.points))} {stateWord(scan.placement.state)}
        </span>
      </button>
      <div className="flex shrink-0 flex-col items-end">
        <div className="flex">
          <button
            type="button"
            className={ICON}
            tabIndex={tabIndex}
            aria-label={excluded ? `Take ${scan.name} in again` : `Exclude ${scan.name}`}
            aria-pressed={excluded}
            title={excluded ? 'Take in again' : 'Exclude: takes no part in registration and surface'}
            onClick={() =>
              void run({
                pieceId,
                operationId: OPERATION_IDS.registerExclude,
                params: { only: [scan.name], exclude: !excluded },
              })
            }
          >
            <Ban size={15} className={excluded ? 'text-brick' : ''} />
          </button>
          <button
            type="button"
            className={ICON}
            tabIndex={tabIndex}
            aria-label={`Show only ${scan.name}`}
            aria-pressed={isolated}
            title="Show only this"
            onClick={() => dispatch(scanIsolated(scan.id))}
          >
            <Focus size={15} />
          </button>
          <button
            type="button"
            className={ICON}
            tabIndex={tabIndex}
            aria-label={`${off ? 'Show' : 'Hide'} ${scan.name}`}
            title={off ? 'Show' : 'Hide'}
            onClick={() => dispatch(scanHidden(scan.id))}
          >
            {off ? <EyeOff size={15} /> : <Eye size={15} />}
          </button>
        </div>
        <CoverageSparkline scan={scan} />
      </div>
    </li>
  );
});
