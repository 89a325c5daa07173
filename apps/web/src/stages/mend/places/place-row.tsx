import type { ReactNode } from 'react';
import { LocateFixed } from 'lucide-react';
import { IconButton } from '../../../shared/controls';

/** One place of a list: chosen or not, in words, and the way there. */
export function PlaceRow({
  number,
  chosen,
  goTo,
  children,
  onToggle,
  onGo,
}: {
  number: number;
  chosen: boolean;
  /** What the way there is called. */
  goTo: string;
  children: ReactNode;
  onToggle(): void;
  onGo(): void;
}) {
  return (
    <li className="flex items-center gap-1.5 rounded-lg px-1 hover:bg-sunk">
      <label className="flex min-h-[28px] flex-1 items-center gap-2">
        <input type="checkbox" checked={chosen} onChange={onToggle} />
        <b className="num min-w-5 text-right">{number}</b>
        {children}
      </label>
      <IconButton label={goTo} onClick={onGo}>
        <LocateFixed size={15} aria-hidden />
      </IconButton>
    </li>
  );
}
