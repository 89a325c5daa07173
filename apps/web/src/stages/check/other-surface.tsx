import { useState } from 'react';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { ChevronDown } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { uploadScan } from '../../api/upload-scan';
import { Button } from '../../shared/controls';

/** Sends a surface to an operation that begins with one: a file, or the surface of another piece. */
export function useSentSurface(
  pieceId: string,
  operationId: string,
): {
  send(file: File, params: Record<string, unknown>): void;
  bring(artifact: string, params: Record<string, unknown>): void;
  /** Share of the file that is sent; null while none is. */
  sending: number | null;
  refused: string | null;
} {
  const [sending, setSending] = useState<number | null>(null);
  const [refused, setRefused] = useState<string | null>(null);
  const [begin] = api.useBringSurfaceMutation();
  return {
    sending,
    refused,
    send(file, params) {
      setRefused(null);
      setSending(0);
      uploadScan(
        file,
        { pieceId, setup: '', operation: operationId, params: JSON.stringify(params) },
        {
          progress: setSending,
          done: () => setSending(null),
          failed: (message) => {
            setSending(null);
            setRefused(message);
          },
        },
      );
    },
    bring(artifact, params) {
      setRefused(null);
      begin({ pieceId, artifact, operationId, params })
        .unwrap()
        .catch((e: unknown) => setRefused(problemText(e)));
    },
  };
}

/** Chooses another piece that has a surface. */
export function OtherPieceButton({
  piece,
  label,
  disabled,
  onChoose,
}: {
  piece: PieceView;
  label: string;
  disabled: boolean;
  /** Given the artifact of its surface. */
  onChoose(artifact: string): void;
}) {
  const { data: pieces = [] } = api.usePiecesQuery();
  const [find] = api.useLazyPieceQuery();
  const others = pieces.filter((p) => p.id !== piece.id && p.triangles > 0);
  return (
    <Menu as="div" className="relative">
      <MenuButton
        as={Button}
        disabled={disabled || others.length === 0}
        title={others.length === 0 ? 'No other piece has a surface yet' : undefined}
      >
        {label} <ChevronDown size={14} aria-hidden />
      </MenuButton>
      <MenuItems
        anchor="bottom start"
        className="z-10 mt-1 max-h-80 min-w-48 overflow-y-auto rounded-lg border border-line bg-panel p-1 shadow-lg"
      >
        {others.map(({ id, name }) => (
          <MenuItem key={id}>
            <button
              type="button"
              onClick={() =>
                void find(id)
                  .unwrap()
                  .then((p) => p.mesh && onChoose(p.mesh.id))
              }
              className="block min-h-9 w-full rounded-md border-0 bg-transparent px-3 py-1.5 text-left text-ink data-focus:bg-sunk"
            >
              {name}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
