import { useEffect } from 'react';
import { Eye } from 'lucide-react';
import type { Stage } from '@amber-knit/contracts';
import { accountsApi } from '../api/accounts-api';
import { remarksApi } from '../api/remarks-api';
import { stageOf } from '../app/stages';

/** It is said again so often that one is here, ms: the server forgets after twice that. */
const AGAIN = 20_000;

/** Tells the others that this page has the piece open, and shows who else has. */
export function WhoIsHere({ pieceId, stage }: { pieceId: string; stage: Stage | null }) {
  const { data: session } = accountsApi.useSessionQuery();
  const me = session?.person?.id;
  const [come] = remarksApi.useComeHereMutation();
  const [leave] = remarksApi.useLeaveMutation();
  const { data: people = [] } = remarksApi.useHereQuery(pieceId, { skip: !me });
  useEffect(() => {
    if (!me) return undefined;
    const say = (): void => void come({ pieceId, stage });
    say();
    const timer = window.setInterval(say, AGAIN);
    return () => window.clearInterval(timer);
  }, [come, me, pieceId, stage]);
  useEffect(() => (me ? () => void leave(pieceId) : undefined), [leave, me, pieceId]);
  const others = people.filter((p) => p.id !== me);
  if (others.length === 0) return null;
  return (
    <span role="status" className="flex min-w-0 items-center gap-1.5 text-teal" title="Who else has this piece open">
      <Eye size={15} aria-hidden className="shrink-0" />
      <span className="truncate">
        {others.map((p) => (p.stage ? `${p.name} at ${stageOf(p.stage)?.name}` : p.name)).join(', ')}
      </span>
    </span>
  );
}
