import { useEffect, useState, useSyncExternalStore } from 'react';
import { Navigate, useNavigate, useParams } from 'react-router';
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { HelpCircle, Redo2, Undo2 } from 'lucide-react';
import { api, problemText } from '../../api/api';
import { isStage } from '../../app/stages';
import { Button, Header, Notice } from '../../shared/controls';
import { captureClient } from '../capture/capture-client';
import { useAppSelector } from '../../app/store';
import { ByHandView } from '../by-hand/by-hand-view';
import { CapturePanel } from '../capture/capture-panel';
import { CaptureView } from '../capture/capture-view';
import { framesClient } from '../frames/frames-client';
import { FramesView } from '../frames/frames-view';
import { useImporting } from '../import/import-context';
import { ImportDrop } from '../import/import-drop';
import { LedgerList } from '../ledger/ledger-list';
import { lineLaserClient } from '../line-laser/line-laser-client';
import { LineLaserPanel } from '../line-laser/line-laser-panel';
import { LineLaserView } from '../line-laser/line-laser-view';
import { PlanAdvicePanel } from '../plan/plan-advice';
import { PlanForm } from '../plan/plan-form';
import { selectionClient } from '../select/selection-client';
import { Viewport } from '../view/viewport';
import { StagePanel } from './stage-panel';
import { StageRail } from './stage-rail';
import { VersionMenu } from './version-menu';
import { StrandList } from '../strands/strand-list';

const SHORTCUTS: [string, string][] = [
  ['Ctrl Z', 'Undo the last step'],
  ['Ctrl Shift Z', 'Redo'],
  ['L', 'Open or close the ledger'],
  ['?', 'This sheet'],
  ['Arrows', 'Turn the view (when it has the focus)'],
  ['Shift and arrows', 'Move the view'],
  ['+ and −', 'Zoom'],
  ['F', 'Fit everything into the view'],
  ['1 to 6', 'Front, back, left, right, top, below'],
  ['Escape', 'Start a measurement, or a selection, again'],
  ['Enter', 'With a selecting tool: click in the middle of the view'],
  ['Up, down, Home, End', 'On a strand’s name: go along the list; with Shift choose on the way'],
  ['Space', 'Choose the strand; Ctrl A all, Escape none'],
  ['H, O, F2', 'Hide the strand, show only it, open its card'],
  ['Delete', 'Cut the selected points away (Clean)'],
];

/** The bench: all stages share it. */
export function BenchPage() {
  const { pieceId = '', stage } = useParams();
  const navigate = useNavigate();
  const { data: piece, error } = api.usePieceQuery(pieceId);
  const { data: steps } = api.useStepsQuery(pieceId);
  const [move] = api.useMoveMutation();
  const [ledger, setLedger] = useState(false);
  const [help, setHelp] = useState(false);
  const [cutHeight, setCutHeight] = useState(2);
  const [sound, setSound] = useState(true);
  const connected = useSyncExternalStore(captureClient.subscribe, () => captureClient.current().device !== null);
  const byLine = useSyncExternalStore(lineLaserClient.subscribe, () => lineLaserClient.current().phase !== 'closed');
  const framesOpen = useSyncExternalStore(framesClient.subscribe, () => framesClient.current().scanId !== null);
  const byHand = useAppSelector((s) => s.byHand.moving !== null);
  const cutting = useSyncExternalStore(selectionClient.subscribe, () => selectionClient.current().sending);
  const running = steps?.filter((s) => s.status === 'running' || s.status === 'queued').length ?? 0;
  // A step that runs will change what stands now: going back waits for it.
  const settled = running === 0 && !cutting;
  const live = stage === 'capture' && connected;
  const lineLaser = stage === 'capture' && byLine;

  useEffect(() => {
    const onKey = (e: KeyboardEvent): void => {
      const target = e.target as HTMLElement;
      if (/^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName)) return;
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z') {
        e.preventDefault();
        const direction = e.shiftKey ? 'redo' : 'undo';
        // While points are being selected, selecting is undone first.
        if (stage === 'clean' && selectionClient.step(direction)) return;
        if (settled) void move({ id: pieceId, direction });
      } else if (e.key === '?') setHelp(true);
      else if (e.key.toLowerCase() === 'l' && !e.ctrlKey && !e.metaKey) setLedger((v) => !v);
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [move, pieceId, stage, settled]);

  if (!isStage(stage)) return <Navigate to={`/pieces/${pieceId}`} replace />;
  if (error) {
    return (
      <main className="p-6">
        <Notice tone="error">{problemText(error)}</Notice>
      </main>
    );
  }
  if (!piece) return <p className="p-6 text-muted">Setting up the bench …</p>;
  return (
    <ImportDrop piece={piece}>
      <div className="flex h-screen flex-col overflow-hidden">
        <Header
          trail={[{ label: 'Shelf', to: '/' }, { label: piece.name, to: `/pieces/${pieceId}` }, { label: 'Bench' }]}
        >
          <SaveState running={running} />
          <Button
            disabled={!piece.canUndo || !settled}
            title={
              !settled
                ? 'A step is running: wait for it, or cancel it'
                : piece.lastStep
                  ? `Undo: ${piece.lastStep}`
                  : piece.canUndo
                    ? 'Undo: names, setups or notes of scans'
                    : 'Nothing to undo'
            }
            onClick={() => void move({ id: pieceId, direction: 'undo' })}
          >
            <Undo2 size={15} /> Undo
          </Button>
          <Button
            disabled={!piece.canRedo || !settled}
            aria-label="Redo"
            title="Redo"
            onClick={() => void move({ id: pieceId, direction: 'redo' })}
            className="px-2"
          >
            <Redo2 size={15} />
          </Button>
          <VersionMenu pieceId={pieceId} settled={settled} />
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
        <StageRail piece={piece} stage={stage} />
        <div className="flex min-h-0 flex-1">
          <StrandList piece={piece} />
          <div className="flex min-w-0 flex-1 flex-col">
            {stage === 'plan' ? (
              <PlanForm piece={piece} />
            ) : lineLaser ? (
              <LineLaserView />
            ) : live ? (
              <CaptureView cutHeight={cutHeight} sound={sound} />
            ) : byHand && stage === 'register' ? (
              <ByHandView piece={piece} />
            ) : (
              <Viewport piece={piece} stage={stage} />
            )}
            {framesOpen && <FramesView />}
            {ledger && (
              <section
                aria-label="Ledger"
                className="h-64 shrink-0 overflow-y-auto border-t border-line bg-panel px-4 py-2"
              >
                <LedgerList pieceId={pieceId} />
              </section>
            )}
            <button
              type="button"
              aria-expanded={ledger}
              onClick={() => setLedger(!ledger)}
              className="h-8 shrink-0 border-0 border-t border-solid border-line bg-panel text-ink hover:bg-sunk"
            >
              {ledger ? 'Close the ledger' : `Ledger: ${steps?.length ?? 0} ${steps?.length === 1 ? 'step' : 'steps'}`}
            </button>
          </div>
          <StagePanel piece={piece} stage={stage}>
            {lineLaser && <LineLaserPanel piece={piece} />}
            {stage === 'capture' && !lineLaser && (
              <CapturePanel
                piece={piece}
                cutHeight={cutHeight}
                setCutHeight={setCutHeight}
                sound={sound}
                setSound={setSound}
              />
            )}
            {stage === 'plan' && <PlanAdvicePanel piece={piece} />}
          </StagePanel>
        </div>
      </div>
      <Dialog open={help} onClose={() => setHelp(false)} className="relative z-20">
        <div className="fixed inset-0 bg-black/40" aria-hidden />
        <div className="fixed inset-0 flex items-center justify-center p-4">
          <DialogPanel className="w-full max-w-md rounded-xl border border-line bg-panel p-5">
            <DialogTitle className="m-0 mb-3 text-lg font-semibold">Keyboard shortcuts</DialogTitle>
            <dl className="m-0 grid grid-cols-[auto_1fr] gap-x-5 gap-y-1">
              {SHORTCUTS.map(([k, v]) => (
                <div key={k} className="contents">
                  <dt className="num">{k}</dt>
                  <dd className="m-0">{v}</dd>
                </div>
              ))}
            </dl>
            <div className="mt-4 flex justify-end">
              <Button onClick={() => setHelp(false)}>Close</Button>
            </div>
          </DialogPanel>
        </div>
      </Dialog>
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
