import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { Sparkles } from 'lucide-react';
import type { GuideAnswers, GuidedState, PieceView } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { useImporting } from '../../incoming/import-context';
import { ImportDrop } from '../../incoming/import-drop';
import { ImportPanel } from '../../incoming/import-panel';
import { IncomingList } from '../../incoming/incoming-list';
import { KnitChart } from '../../knit-chart/knit-chart';
import { Button, Notice } from '../../shared/controls';
import { Header } from '../../shared/header';
import { OnlyLooking } from '../../shared/only-looking';
import { RecipePicker, type ChosenRecipe } from '../../shared/recipe-picker';
import { Fold } from '../../shared/fold';
import { useWorkNotice } from '../../shared/work-notice';
import { GuideQuestions } from './guide-questions';
import { GuidedWay } from './guided-way';
import { StopCard } from './stop-card';
import { VerdictCard } from './verdict-card';

/** From plain answers to a finished model: questions, then the run with its stops, then the verdict. */
export function GuidedPage() {
  const { pieceId = '' } = useParams();
  const navigate = useNavigate();
  const { data: piece, error } = api.usePieceQuery(pieceId);
  const { data: guided, error: guidedError } = api.useGuidedQuery(pieceId);
  const [asking, setAsking] = useState(false);
  const fault = error ?? guidedError;
  const trail = [{ label: 'Shelf', to: '/' }, ...(piece ? [{ label: piece.name, to: `/pieces/${pieceId}` }] : [])];
  if (fault || !piece || !guided) {
    return (
      <div className="flex min-h-screen flex-col">
        <Header trail={trail} />
        <main className="p-6">
          {fault ? (
            <Notice tone="error">{problemText(fault)}</Notice>
          ) : (
            <p className="m-0 text-muted">Looking where it stands …</p>
          )}
        </main>
      </div>
    );
  }
  const { run } = guided;
  return (
    <ImportDrop piece={piece}>
      <div className="flex min-h-screen flex-col">
        <Header trail={[...trail, { label: run ? LABELS[run.status] : 'Guided run' }]}>
          {run && !asking && <Button onClick={() => setAsking(true)}>Change the answers</Button>}
          <Button onClick={() => void navigate(`/pieces/${pieceId}/bench/${piece.stage}`)}>Open the bench</Button>
        </Header>
        <OnlyLooking piece={piece} />
        <main className="mx-auto w-full max-w-[1280px] flex-1 px-5 py-4">
          {run && !asking ? (
            <Run piece={piece} run={run} />
          ) : (
            <Beginning piece={piece} guided={guided} onBegun={() => setAsking(false)} />
          )}
        </main>
      </div>
    </ImportDrop>
  );
}

/** Where one is: also the title of the page, so that it is seen from elsewhere that something is asked or done. */
const LABELS: Record<NonNullable<GuidedState['run']>['status'], string> = {
  working: 'Guided run',
  asking: 'Guided run: a question',
  'waiting-for-scans': 'Guided run',
  paused: 'Guided run: paused',
  done: 'Guided run: done',
};

/** The questions, the scans, and the start. */
function Beginning({ piece, guided, onBegun }: { piece: PieceView; guided: GuidedState; onBegun(): void }) {
  const [changed, setChanged] = useState<Partial<GuideAnswers>>({});
  const [begin, { isLoading, error }] = api.useAnswerGuidedMutation();
  const sending = useImporting().incoming.filter((i) => !i.error).length;
  const answers = { ...(guided.run?.answers ?? guided.first), ...changed };
  const start = async () => {
    await begin({ pieceId: piece.id, answers }).unwrap();
    onBegun();
  };
  return (
    <div className="grid items-start gap-6 xl:grid-cols-[1fr_300px]">
      <div>
        <h1 className="m-0 text-2xl font-semibold">Make a model of {piece.name}</h1>
        <p className="mb-5 mt-1 max-w-prose text-muted">
          Answer what you know; the rest follows from the scans. It stops only where a person must judge, and every step
          can be opened and changed afterwards.
        </p>
        <GuideQuestions answers={answers} onAnswer={(change) => setChanged((c) => ({ ...c, ...change }))} />
      </div>
      <aside aria-label="Scans and start" className="rounded-xl border border-line bg-panel p-4">
        <h2 className="m-0 text-base font-semibold">
          {piece.scans > 0 ? `${piece.scans} ${piece.scans === 1 ? 'scan' : 'scans'}` : 'First the scans'}
        </h2>
        <IncomingList piece={piece} />
        {piece.scans > 0 ? (
          <>
            <Button
              tone="go"
              className="mt-3 w-full"
              disabled={isLoading || sending > 0}
              onClick={() => void start().catch(() => undefined)}
            >
              <Sparkles size={16} /> {guided.run ? 'Go on with these answers' : 'Make the model'}
            </Button>
            {sending > 0 && <p className="m-0 mt-1 text-muted">Once all files are there.</p>}
            <ByRecipe pieceId={piece.id} onBegun={onBegun} />
            <Fold title="Add scans">
              <ImportPanel piece={piece} />
            </Fold>
          </>
        ) : (
          <>
            <p className="m-0 mt-1 text-muted">Capture them at the bench, or bring in files here.</p>
            <ImportPanel piece={piece} />
          </>
        )}
        {error !== undefined && <Notice tone="error">{problemText(error)}</Notice>}
      </aside>
    </div>
  );
}

/** Without questions: a recipe that somebody made, or one that comes with the program. */
function ByRecipe({ pieceId, onBegun }: { pieceId: string; onBegun(): void }) {
  const [chosen, setChosen] = useState<ChosenRecipe | null>(null);
  const [follow, { isLoading, error }] = api.useFollowRecipeMutation();
  const run = async () => {
    await follow({ pieceId, recipe: chosen!.recipe }).unwrap();
    onBegun();
  };
  return (
    <Fold title="By a recipe instead">
      <RecipePicker chosen={chosen} onChoose={setChosen} />
      {error !== undefined && <Notice tone="error">{problemText(error)}</Notice>}
      <Button disabled={!chosen || isLoading} onClick={() => void run().catch(() => undefined)}>
        Run the recipe
      </Button>
    </Fold>
  );
}

/** The run: strands knitting on, what it does, what it asks, how it ended. */
function Run({ piece, run }: { piece: PieceView; run: NonNullable<GuidedState['run']> }) {
  const { data: steps = [] } = api.useStepsQuery(piece.id);
  useWorkNotice(piece.name, { doing: run.status === 'working' ? run.now : null, outcome: LABELS[run.status] });
  return (
    <div className="grid items-start gap-5 lg:grid-cols-[290px_1fr]">
      <GuidedWay pieceId={piece.id} run={run} steps={steps} />
      <div className="flex min-w-0 flex-col gap-4">
        {run.status === 'waiting-for-scans' && (
          <section className="rounded-xl border border-line bg-panel p-4">
            <IncomingList piece={piece} />
            <ImportPanel piece={piece} />
          </section>
        )}
        {run.stop && <StopCard key={run.stop.key} pieceId={piece.id} stop={run.stop} />}
        {run.verdict && <VerdictCard piece={piece} steps={steps} answers={run.answers} verdict={run.verdict} />}
        {piece.scans > 0 && (
          <section aria-label="The strands" className="rounded-xl border border-line bg-panel p-2">
            <KnitChart piece={piece} />
          </section>
        )}
        {run.decided.length > 0 && (
          <Fold title={`Decided on the way: ${run.decided.length}`}>
            <div className="flex flex-col gap-3">
              {run.decided.map(({ stop, choice }) => (
                <StopCard key={stop.key} pieceId={piece.id} stop={stop} chosen={choice} />
              ))}
            </div>
          </Fold>
        )}
      </div>
    </div>
  );
}
