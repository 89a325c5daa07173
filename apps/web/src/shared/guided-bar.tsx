import { Link } from 'react-router';
import { api } from '../api/api';

/** Above the bench while a guided run goes on: what it does or asks, and the way back to it. */
export function GuidedBar({ pieceId }: { pieceId: string }) {
  const { data } = api.useGuidedQuery(pieceId);
  const run = data?.run;
  if (!run || run.status === 'done') return null;
  return (
    <div
      role="status"
      aria-label="Guided run"
      className="flex shrink-0 items-center gap-3 border-b border-line bg-amber-soft px-4 py-1"
    >
      <b className="font-semibold">Guided run</b>
      <span className="min-w-0 truncate">{run.stop ? run.stop.title : run.now}</span>
      <span className="flex-1" />
      <Link to={`/pieces/${pieceId}/guided`} className="text-teal">
        {run.stop ? 'Answer' : 'Back to it'}
      </Link>
    </div>
  );
}
