import { useState } from 'react';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { formatDistanceToNowStrict } from 'date-fns';
import { ChevronsLeftRight, History } from 'lucide-react';
import type { VersionView } from '@amber-knit/contracts';
import { bytesText } from '@amber-knit/operations/quantity-text';
import { api } from '../../api/api';
import { useAppDispatch } from '../../app/store';
import { comparedWith } from '../../app/view-slice';
import { AskDialog } from '../../shared/ask-dialog';
import { Button } from '../../shared/controls';

const MARKS: Record<VersionView['place'], string> = { before: '', current: '●', after: '↷' };

/** All versions of the piece, the newest first: one click goes to any of them, or compares it with now; nothing is lost. */
export function VersionMenu({ pieceId, settled }: { pieceId: string; settled: boolean }) {
  const { data: versions } = api.useVersionsQuery(pieceId);
  const [moveTo] = api.useMoveToMutation();
  const [forget] = api.useForgetUndoneMutation();
  /** Bytes that are asked about. */
  const [asking, setAsking] = useState<number | null>(null);
  const dispatch = useAppDispatch();
  return (
    <Menu as="div" className="relative">
      <MenuButton as={Button} disabled={!settled} aria-label="Versions" title="All versions" className="px-2">
        <History size={15} />
      </MenuButton>
      <MenuItems
        anchor="bottom end"
        className="z-10 mt-1 max-h-96 w-96 overflow-y-auto rounded-lg border border-line bg-panel p-1 shadow-lg"
      >
        {(versions ?? []).toReversed().map((v) => (
          <div key={v.id} className="flex">
            <MenuItem disabled={v.place === 'current'}>
              <button
                type="button"
                aria-current={v.place === 'current' || undefined}
                onClick={() => void moveTo({ id: pieceId, version: v.id })}
                className={`grid min-w-0 flex-1 grid-cols-[1rem_1fr_auto] gap-x-2 rounded-md border-0 px-2 py-1.5 text-left text-ink data-focus:bg-sunk ${v.place === 'current' ? 'bg-teal-soft' : 'bg-transparent'} ${v.place === 'after' ? 'opacity-65' : ''}`}
              >
                <span aria-hidden>{MARKS[v.place]}</span>
                <span className="truncate">
                  {v.title}
                  {v.place === 'current' && ' (now)'}
                  {v.place === 'after' && ' (undone)'}
                </span>
                <span className="num text-muted">{formatDistanceToNowStrict(new Date(v.at))} ago</span>
                {v.detail && <span className="num col-start-2 col-end-4 truncate text-muted">{v.detail}</span>}
              </button>
            </MenuItem>
            {v.place !== 'current' && (
              <MenuItem>
                <button
                  type="button"
                  aria-label={`Compare: ${v.title}`}
                  title="Compare with now, side by side in the view"
                  onClick={() => dispatch(comparedWith({ pieceId, version: v.id, title: v.title }))}
                  className="flex shrink-0 items-center rounded-md border-0 bg-transparent px-2 text-muted data-focus:bg-sunk data-focus:text-ink"
                >
                  <ChevronsLeftRight size={15} />
                </button>
              </MenuItem>
            )}
          </div>
        ))}
        <ForgetUndone pieceId={pieceId} onAsk={setAsking} />
      </MenuItems>
      <AskDialog
        title="Forget what was undone?"
        open={asking !== null}
        yes="Forget it"
        no="Keep it"
        onYes={() => void forget(pieceId)}
        onClose={() => setAsking(null)}
      >
        Steps that were undone, and those left behind by going another way, go with their results; this cannot be
        undone. What stands now, and every scan that came in, stays. It gives back{' '}
        <span className="num">{bytesText(asking ?? 0)}</span>.
      </AskDialog>
    </Menu>
  );
}

/** What forgetting would give back, once the list is open. */
function ForgetUndone({ pieceId, onAsk }: { pieceId: string; onAsk(bytes: number): void }) {
  const { data: room } = api.useRoomQuery(pieceId);
  if (!room || room.undone === 0) return null;
  return (
    <MenuItem>
      <button
        type="button"
        onClick={() => onAsk(room.undone)}
        className="mt-1 w-full rounded-md border-0 border-t border-solid border-line bg-transparent px-2 py-1.5 text-left text-ink data-focus:bg-sunk"
      >
        Forget what was undone … <span className="text-muted">gives back {bytesText(room.undone)}</span>
      </button>
    </MenuItem>
  );
}
