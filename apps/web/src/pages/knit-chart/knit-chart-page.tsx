import { Link, useNavigate, useParams } from 'react-router';
import { Sparkles } from 'lucide-react';
import type { PieceView, Stage } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { Button, Notice } from '../../shared/controls';
import { Header } from '../../shared/header';
import { shortCountText } from '@amber-knit/operations/quantity-text';
import { WhoIsHere } from '../../shared/who-is-here';
import { OnlyLooking } from '../../shared/only-looking';
import { StateGlyph, stateWord, type GlyphState } from '../../shared/state-glyph';
import { KnitChart } from '../../knit-chart/knit-chart';

/** Where work goes on: what is out of date, else the first stage not done; with scans there, not back at the plan. */
function nextStage({ stages, scans }: PieceView): Stage {
  if (scans === 0) return 'capture';
  const later = stages.filter((s) => s.stage !== 'plan' && s.stage !== 'capture');
  return later.find((s) => s.state === 'empty' || s.state === 'outdated')?.stage ?? 'deliver';
}

/** A piece's front page. */
export function KnitChartPage() {
  const { pieceId = '' } = useParams();
  const navigate = useNavigate();
  const { data: piece, error } = api.usePieceQuery(pieceId);
  const { data: steps } = api.useStepsQuery(pieceId);
  const { data: guided } = api.useGuidedQuery(pieceId);
  if (error) {
    return (
      <div className="flex min-h-screen flex-col">
        <Header trail={[{ label: 'Shelf', to: '/' }]} />
        <main className="p-6">
          <Notice tone="error">{problemText(error)}</Notice>
        </main>
      </div>
    );
  }
  if (!piece) return <p className="p-6 text-muted">Fetching the piece …</p>;
  const next = nextStage(piece);
  return (
    <div className="flex min-h-screen flex-col">
      <Header trail={[{ label: 'Shelf', to: '/' }, { label: piece.name }]}>
        <WhoIsHere pieceId={pieceId} stage={null} />
        <Button onClick={() => void navigate(`/pieces/${pieceId}/ledger`)}>Ledger</Button>
        <Button onClick={() => void navigate(`/pieces/${pieceId}/guided`)}>
          <Sparkles size={15} /> {guided?.run ? 'Guided run' : 'Make a model for me'}
        </Button>
        <Button tone="go" onClick={() => void navigate(`/pieces/${pieceId}/bench/${next}`)}>
          Open the bench
        </Button>
      </Header>
      <OnlyLooking piece={piece} />
      <main className="mx-auto flex w-full max-w-[1500px] flex-1 flex-col gap-4 px-5 py-4">
        <div className="flex flex-wrap items-end justify-between gap-4">
          <div>
            <h1 className="m-0 text-2xl font-semibold">{piece.name}</h1>
            <p className="m-0 text-muted">{piece.note}</p>
          </div>
          <KeyFigures piece={piece} />
        </div>
        <section className="rounded-xl border border-line bg-panel p-2">
          {piece.scans > 0 ? (
            <KnitChart piece={piece} />
          ) : (
            <div className="p-10 text-center text-muted">
              No strands yet.{' '}
              <Link to={`/pieces/${pieceId}/bench/capture`} className="text-teal">
                Bring in scans
              </Link>{' '}
              to begin.
            </div>
          )}
        </section>
        <div className="flex flex-wrap items-center gap-x-6 gap-y-1 text-muted">
          {(['loose', 'placed', 'registered', 'outdated', 'excluded', 'empty'] as GlyphState[]).map((s) => (
            <span key={s} className="inline-flex items-center gap-1.5">
              <StateGlyph state={s} /> {stateWord(s)}
            </span>
          ))}
          <span className="flex-1" />
          {piece.stages.some((s) => s.state === 'outdated') && (
            <span className="text-brick">Later results are out of date: something before them has changed.</span>
          )}
          <span>{steps?.length ?? 0} steps in the ledger</span>
        </div>
      </main>
    </div>
  );
}

function KeyFigures({ piece }: { piece: PieceView }) {
  const registered = piece.scanList.filter((s) => s.placement.state === 'registered').length;
  const figures: [string, string][] = [
    ['Registered', `${registered} of ${piece.scans} scans`],
    ['Points', shortCountText(piece.points)],
    ['Mesh', piece.mesh ? `${shortCountText(piece.triangles)} triangles` : 'none yet'],
    ['Closed', piece.mesh ? (piece.watertight ? 'no rims' : 'has holes') : '–'],
  ];
  return (
    <dl className="m-0 flex flex-wrap gap-7">
      {figures.map(([k, v]) => (
        <div key={k}>
          <dt className="text-muted">{k}</dt>
          <dd className="num m-0 text-base">{v}</dd>
        </div>
      ))}
    </dl>
  );
}
