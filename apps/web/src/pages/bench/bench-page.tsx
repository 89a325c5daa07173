import { useCallback, useEffect, useState, useSyncExternalStore } from 'react';
import { Navigate, useNavigate, useParams, useSearchParams } from 'react-router';
import { HelpCircle, Redo2, Undo2 } from 'lucide-react';
import { useWhyNot } from '../../api/accounts-api';
import { api, problemText } from '../../api/api';
import { stageOf } from '../../app/stages';
import { useImporting } from '../../incoming/import-context';
import { ImportDrop } from '../../incoming/import-drop';
import { PreviewOverlay } from '../../incoming/preview-overlay';
import { LedgerList } from '../../ledger/ledger-list';
import { Button, Notice } from '../../shared/controls';
import { Header } from '../../shared/header';
import { GuidedBar } from '../../shared/guided-bar';
import { remarksApi } from '../../api/remarks-api';
import { RemarksOverlay } from '../../remarks/remarks-overlay';
import { RemarksList } from '../../remarks/remarks-list';
import { remarksDesk } from '../../remarks/remarks-desk';
import { useStore } from '../../shared/store';
import { WhoIsHere } from '../../shared/who-is-here';
import { OnlyLooking } from '../../shared/only-looking';
import { moduleOf, STAGE_MODULES } from '../../stages';
import { StrandList } from '../../strands/strand-list';
import { Viewport } from '../../view/viewport';
import type { ViewOverlay } from '../../view/view-overlay';
import { StagePanel } from './stage-panel';
import { StageRail } from './stage-rail';
import { Tour } from './tour';
import { lookedRound } from '../../shared/looked-round';
import { VersionMenu } from './version-menu';
import { Modal } from '../../shared/modal';
import { useWorkNotice, workOf } from '../../shared/work-notice';

/** What holds at every stage. */
const SHORTCUTS: readonly (readonly [string, string])[] = [
  ['Ctrl Z', 'Undo the last step'],
  ['Ctrl Shift Z', 'Redo'],
  ['L', 'Open or close the ledger'],
  ['?', 'This sheet'],
  ['Ctrl K', 'Find by words what you want to do'],
  ['Arrows', 'Turn the view (when it has the focus)'],
  ['Shift and arrows', 'Move the view'],
  ['+ and −', 'Zoom'],
  ['F', 'Fit everything into the view'],
  ['1 to 6', 'Front, back, left, right, top, below'],
  ['Escape', 'Start a measurement, or a selection, again'],
  ['Up, down, Home, End', 'On a strand’s name: go along the list; with Shift choose on the way'],
  ['Space', 'Choose the strand; Ctrl A all, Escape none'],
  ['H, O, F2', 'Hide the strand, show only it, open its card'],
];

/** Laid over the view at every stage, then what the stage has of its own: lists that stay the same. */
const OVERLAYS = new Map<string, readonly ViewOverlay[]>(
  STAGE_MODULES.map((m) => [m.id, [PreviewOverlay, RemarksOverlay, ...(m.overlays ?? [])]]),
);

/** Follows everything that stages want followed. */
const subscribe = (listener: () => void): (() => void) => {
  const watched = STAGE_MODULES.flatMap((m) => [m.sending, ...(m.instead ?? []).map((i) => i.while)]);
  const ends = watched.map((w) => w?.subscribe(listener));
  return () => ends.forEach((end) => end?.());
};
const isSending = (): boolean => STAGE_MODULES.some((m) => m.sending?.current());

/** The bench: all stages share it. */
export function BenchPage() {
  const { pieceId = '', stage } = useParams();
  const navigate = useNavigate();
  const { data: piece, error } = api.usePieceQuery(pieceId);
  const { data: steps } = api.useStepsQuery(pieceId);
  const [move] = api.useMoveMutation();
  const [ledger, setLedger] = useState(false);
  const [help, setHelp] = useState(false);
  const [search, setSearch] = useSearchParams();
  const endTour = useCallback(() => {
    lookedRound.end();
    setSearch({}, { replace: true });
  }, [setSearch]);
  useWorkNotice(piece?.name ?? '', workOf(steps));
  const running = steps?.filter((s) => s.status === 'running' || s.status === 'queued').length ?? 0;
  // A step that runs will change what stands now: going back waits for it.
  const sending = useSyncExternalStore(subscribe, isSending);
  const settled = running === 0 && !sending;
  const { open: remarking } = useStore(remarksDesk);
  const { data: remarks = [] } = remarksApi.useRemarksQuery(pieceId);
  const undone = remarks.filter((r) => !r.done).length;
  const why = useWhyNot('work', piece?.owner);
  const known = stageOf(stage);
  const own = known && moduleOf(known.id);
  const Instead = useSyncExternalStore(subscribe, () => own?.instead?.find((i) => i.while.current())?.View);

  useEffect(() => {
    const onKey = (e: KeyboardEvent): void => {
      const target = e.target as HTMLElement;
      if (/^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName)) return;
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z') {
        e.preventDefault();
        const direction = e.shiftKey ? 'redo' : 'undo';
        if (own?.undo?.(direction)) return;
        if (settled && why === null) void move({ id: pieceId, direction });
      } else if (e.key === '?') setHelp(true);
      else if (e.key.toLowerCase() === 'l' && !e.ctrlKey && !e.metaKey) {
        if (remarksDesk.current().open) remarksDesk.toggle();
        setLedger((v) => !v);
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [move, pieceId, own, settled, why]);

  if (!known || !own) return <Navigate to={`/pieces/${pieceId}`} replace />;
  if (error) {
    return (
      <main className="p-6">
        <Notice tone="error">{problemText(error)}</Notice>
      </main>
    );
  }
  if (!piece) return <p className="p-6 text-muted">Setting up the bench …</p>;
  const { Below } = own;
  return (
    <ImportDrop piece={piece}>
      <div className="flex h-screen flex-col overflow-hidden">
        <Header
          trail={[{ label: 'Shelf', to: '/' }, { label: piece.name, to: `/pieces/${pieceId}` }, { label: 'Bench' }]}
        >
          <WhoIsHere pieceId={pieceId} stage={own.id} />
          <SaveState running={running} />
          <Button
            disabled={!piece.canUndo || !settled || why !== null}
            title={
              why ??
              (!settled
                ? 'A step is running: wait for it, or cancel it'
                : piece.lastStep
                  ? `Undo: ${piece.lastStep}`
                  : piece.canUndo
                    ? 'Undo: names, setups or notes of scans'
                    : 'Nothing to undo')
            }
            onClick={() => void move({ id: pieceId, direction: 'undo' })}
          >
            <Undo2 size={15} /> Undo
          </Button>
          <Button
            disabled={!piece.canRedo || !settled || why !== null}
            aria-label="Redo"
            title="Redo"
            onClick={() => void move({ id: pieceId, direction: 'redo' })}
            className="px-2"
          >
            <Redo2 size={15} />
          </Button>
          <VersionMenu pieceId={pieceId} settled={settled && why === null} />
          <Button onClick={() => void navigate(`/pieces/${pieceId}`)}>Knit chart</Button>
          <Button
            tone="quiet"
            aria-label="Keyboard shortcuts"
            title="Keyboard shortcuts"
            onClick={() => setHelp(true)}
            className="px-2"
          >
            <HelpCircle size={17} />
          </Button>
        </Header>
        <OnlyLooking piece={piece} />
        <GuidedBar pieceId={pieceId} />
        <StageRail piece={piece} stage={own.id} />
        <div className="flex min-h-0 flex-1">
          <StrandList piece={piece} />
          <div className="flex min-w-0 flex-1 flex-col">
            {Instead ? (
              <Instead piece={piece} />
            ) : (
              <Viewport piece={piece} shown={known.shows} overlays={OVERLAYS.get(own.id)!} />
            )}
            {Below && <Below />}
            {ledger && (
              <section
                aria-label="Ledger"
                className="h-64 shrink-0 overflow-y-auto border-t border-line bg-panel px-4 py-2"
              >
                <LedgerList pieceId={pieceId} />
              </section>
            )}
            {remarking && (
              <section
                aria-label="Remarks"
                className="h-56 shrink-0 overflow-y-auto border-t border-line bg-panel px-4 py-2"
              >
                <RemarksList piece={piece} />
              </section>
            )}
            <div data-tour="ledger" className="flex h-8 shrink-0 border-t border-line">
              <button
                type="button"
                aria-expanded={ledger}
                onClick={() => {
                  if (remarking) remarksDesk.toggle();
                  setLedger(!ledger);
                }}
                className="flex-1 border-0 bg-panel text-ink hover:bg-sunk"
              >
                {ledger
                  ? 'Close the ledger'
                  : `Ledger: ${steps?.length ?? 0} ${steps?.length === 1 ? 'step' : 'steps'}`}
              </button>
              <button
                type="button"
                aria-expanded={remarking}
                onClick={() => {
                  setLedger(false);
                  remarksDesk.toggle();
                }}
                className="flex-1 border-0 border-l border-solid border-line bg-panel text-ink hover:bg-sunk"
              >
                {remarking ? 'Close the remarks' : `Remarks: ${undone}`}
              </button>
            </div>
          </div>
          <StagePanel piece={piece} stage={own} />
        </div>
      </div>
      <Modal title="Keyboard shortcuts" open={help} onClose={() => setHelp(false)}>
        <dl className="m-0 grid grid-cols-[auto_1fr] gap-x-5 gap-y-1">
          {[...SHORTCUTS, ...(own.shortcuts ?? [])].map(([k, v]) => (
            <div key={k} className="contents">
              <dt className="num">{k}</dt>
              <dd className="m-0">{v}</dd>
            </div>
          ))}
        </dl>
        <div className="mt-4 flex justify-end">
          <Button
            onClick={() => {
              setHelp(false);
              setSearch({ tour: '' });
            }}
          >
            Show me round
          </Button>
          <Button onClick={() => setHelp(false)}>Close</Button>
        </div>
      </Modal>
      {search.has('tour') && <Tour onEnd={endTour} />}
    </ImportDrop>
  );
}

/** Whether all that was done is safe on the server. */
function SaveState({ running }: { running: number }) {
  const sending = useImporting().incoming.filter((i) => !i.error).length;
  return (
    <span className="text-muted" role="status">
      {sending > 0 ? `${sending} being sent` : running > 0 ? `${running} running` : 'All saved'}
    </span>
  );
}
