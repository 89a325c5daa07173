import { Eye } from 'lucide-react';
import type { PieceSummary } from '@amber-knit/contracts';
import { useWhyNot } from '../api/accounts-api';

/** Says above a piece that it can be looked at, and why no more; nothing for whoever may work on it. */
export function OnlyLooking({ piece }: { piece: PieceSummary }) {
  const why = useWhyNot('work', piece.owner);
  if (!why) return null;
  return (
    <p role="status" className="m-0 flex items-center gap-2 border-b border-line bg-sunk px-4 py-1.5">
      <Eye size={16} aria-hidden /> <b className="font-semibold">Only looking.</b> {why}
    </p>
  );
}
