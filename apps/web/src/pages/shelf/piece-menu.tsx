import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { Archive, EllipsisVertical } from 'lucide-react';
import type { PieceSummary } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { Notice } from '../../shared/controls';

/** What can be done with a piece on the shelf besides opening it. */
export function PieceMenu({ piece }: { piece: PieceSummary }) {
  const [putAway, { error, isLoading }] = api.usePutAwayMutation();
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
          <MenuItem disabled={piece.running !== null || isLoading}>
            <button
              type="button"
              onClick={() => void putAway(piece.id)}
              className="grid w-full grid-cols-[1.25rem_1fr] gap-x-2 rounded-md border-0 bg-transparent px-2 py-1.5 text-left text-ink data-disabled:opacity-50 data-focus:bg-sunk"
            >
              <Archive size={16} aria-hidden className="mt-0.5" />
              <span>
                Put away
                <span className="block text-muted">
                  {piece.running ? 'A step is running: wait, or cancel it' : 'Off the shelf; nothing of it is lost'}
                </span>
              </span>
            </button>
          </MenuItem>
        </MenuItems>
      </Menu>
      {error && <Notice tone="error">{problemText(error)}</Notice>}
    </div>
  );
}
