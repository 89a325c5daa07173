import { useState } from 'react';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { Archive, EllipsisVertical, UserRound } from 'lucide-react';
import type { PieceSummary } from '@amber-knit/contracts';
import { accountsApi, useWhyNot } from '../../api/accounts-api';
import { api, problemText } from '../../api/api';
import { Notice } from '../../shared/controls';
import { OwnerDialog } from './owner-dialog';

/** What can be done with a piece on the shelf besides opening it. */
export function PieceMenu({ piece }: { piece: PieceSummary }) {
  const [putAway, { error, isLoading }] = api.usePutAwayMutation();
  const { data: session } = accountsApi.useSessionQuery();
  const why = useWhyNot('work', piece.owner);
  const [owning, setOwning] = useState(false);
  return (
    <div className="absolute right-2 top-2 flex flex-col items-end gap-1">
      <Menu>
        <MenuButton
          aria-label={`More for ${piece.name}`}
          title="More"
          className="grid h-8 w-8 place-items-center rounded-lg border border-line bg-panel text-ink hover:bg-sunk"
        >
          <EllipsisVertical size={16} aria-hidden />
        </MenuButton>
        <MenuItems anchor="bottom end" className="z-10 mt-1 w-64 rounded-lg border border-line bg-panel p-1 shadow-lg">
          <MenuItem disabled={piece.running !== null || isLoading || why !== null}>
            <button
              type="button"
              onClick={() => void putAway(piece.id)}
              className="grid w-full grid-cols-[1.25rem_1fr] gap-x-2 rounded-md border-0 bg-transparent px-2 py-1.5 text-left text-ink data-disabled:opacity-50 data-focus:bg-sunk"
            >
              <Archive size={16} aria-hidden className="mt-0.5" />
              <span>
                Put away
                <span className="block text-muted">
                  {why ??
                    (piece.running ? 'A step is running: wait, or cancel it' : 'Off the shelf; nothing of it is lost')}
                </span>
              </span>
            </button>
          </MenuItem>
          {session?.person && (
            <MenuItem disabled={why !== null}>
              <button
                type="button"
                onClick={() => setOwning(true)}
                className="grid w-full grid-cols-[1.25rem_1fr] gap-x-2 rounded-md border-0 bg-transparent px-2 py-1.5 text-left text-ink data-disabled:opacity-50 data-focus:bg-sunk"
              >
                <UserRound size={16} aria-hidden className="mt-0.5" />
                <span>
                  Whose it is …
                  <span className="block text-muted">{piece.owner ? piece.owner.name : 'The workshop’s'}</span>
                </span>
              </button>
            </MenuItem>
          )}
        </MenuItems>
      </Menu>
      {owning && <OwnerDialog piece={piece} open onClose={() => setOwning(false)} />}
      {error && <Notice tone="error">{problemText(error)}</Notice>}
    </div>
  );
}
