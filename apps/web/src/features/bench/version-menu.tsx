import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { formatDistanceToNowStrict } from 'date-fns';
import { History } from 'lucide-react';
import type { VersionView } from '@amber-knit/contracts';
import { api } from '../../api/api';
import { Button } from '../../shared/controls';

const MARKS: Record<VersionView['place'], string> = { before: '', current: '●', after: '↷' };

/** All versions of the piece, the newest first: one click goes to any of them, and nothing is lost. */
export function VersionMenu({ pieceId, settled }: { pieceId: string; settled: boolean }) {
  const { data: versions } = api.useVersionsQuery(pieceId);
  const [moveTo] = api.useMoveToMutation();
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
          <MenuItem key={v.id} disabled={v.place === 'current'}>
            <button
              type="button"
              aria-current={v.place === 'current' || undefined}
              onClick={() => void moveTo({ id: pieceId, version: v.id })}
              className={`grid w-full grid-cols-[1rem_1fr_auto] gap-x-2 rounded-md border-0 px-2 py-1.5 text-left text-ink data-focus:bg-sunk ${v.place === 'current' ? 'bg-teal-soft' : 'bg-transparent'} ${v.place === 'after' ? 'opacity-65' : ''}`}
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
        ))}
      </MenuItems>
    </Menu>
  );
}
