import { useEffect, useState } from 'react';
import {
  allBytes,
  COLUMN_ROLES,
  guessTextLayout,
  plainText,
  type ColumnRole,
  type TextLayout,
} from '@amber-knit/core/io';
import { Button, Notice } from '../shared/controls';
import { firstRows } from './first-rows';
import { Modal } from '../shared/modal';

const ROLE_NAMES: Record<ColumnRole, string> = {
  x: 'X',
  y: 'Y',
  z: 'Z',
  r: 'Red',
  g: 'Green',
  b: 'Blue',
  nx: 'Normal X',
  ny: 'Normal Y',
  nz: 'Normal Z',
  i: 'Brightness',
  '-': 'pass over',
};
/** How much of the file is looked at, bytes. */
const LOOKED_AT = 1 << 16;

/** What the columns of a text file hold: as they were guessed, with its first lines, to be put right before it is sent. */
export function ColumnsDialog({
  file,
  more,
  onDone,
}: {
  file: File;
  /** How many other text files wait. */
  more: number;
  /** Without columns the file is left out. `all` takes the same for all that wait. */
  onDone: (columns: string | null, all: boolean) => void;
}) {
  const [text, setText] = useState<string>();
  const [columns, setColumns] = useState<ColumnRole[]>([]);
  const [layout, setLayout] = useState<TextLayout>();
  const [fault, setFault] = useState('');
  const [all, setAll] = useState(false);
  useEffect(() => {
    let gone = false;
    void file
      .slice(0, LOOKED_AT)
      .arrayBuffer()
      .then((bytes) => {
        if (gone) return;
        const start = new TextDecoder().decode(allBytes(plainText(new Uint8Array(bytes))));
        setText(start);
        try {
          const guess = guessTextLayout(start);
          setLayout(guess);
          setColumns(guess.columns);
        } catch (e) {
          setFault(e instanceof Error ? e.message : String(e));
        }
      });
    return () => {
      gone = true;
    };
  }, [file]);
  const rows = layout && text !== undefined ? firstRows(text, layout) : [];
  const lacking = (['x', 'y', 'z'] as const).filter((r) => !columns.includes(r));
  const twice = columns.find((c, i) => c !== '-' && columns.indexOf(c) !== i);
  const change = (k: number, role: ColumnRole): void => setColumns(columns.map((c, i) => (i === k ? role : c)));
  return (
    <Modal title={`Columns of ${file.name}`} width="widest" onClose={() => onDone(null, false)}>
      {fault ? (
        <Notice tone="error">{fault}</Notice>
      ) : (
        <>
          <p className="mb-2 mt-1 text-muted">
            This is how the first lines are read. Put right what was guessed wrong; the unit is asked apart.
          </p>
          <div className="overflow-auto rounded-lg border border-line" tabIndex={0} aria-label="First lines">
            <table className="num w-full border-collapse">
              <thead>
                <tr>
                  {columns.map((c, k) => (
                    <th key={k} className="border-b border-line p-1.5 text-left">
                      <select
                        aria-label={`Column ${k + 1}`}
                        value={c}
                        onChange={(e) => change(k, e.target.value as ColumnRole)}
                        className="w-full min-w-30 rounded-md border border-[var(--field)] bg-panel px-1.5 py-1"
                      >
                        {COLUMN_ROLES.map((r) => (
                          <option key={r} value={r}>
                            {ROLE_NAMES[r]}
                          </option>
                        ))}
                      </select>
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((row, i) => (
                  <tr key={i}>
                    {columns.map((c, k) => (
                      <td key={k} className={`px-3 py-0.5 ${c === '-' ? 'text-muted line-through' : ''}`}>
                        {row[k] ?? ''}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {lacking.length > 0 && (
            <Notice tone="error">Say which column holds {lacking.map((r) => ROLE_NAMES[r]).join(', ')}.</Notice>
          )}
          {twice && <Notice tone="error">{ROLE_NAMES[twice]} is named twice.</Notice>}
        </>
      )}
      <div className="mt-4 flex items-center justify-end gap-3">
        {more > 0 && (
          <label className="mr-auto flex items-center gap-2">
            <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} />
            Same for the other {more} text files
          </label>
        )}
        <Button onClick={() => onDone(null, all)}>Leave out</Button>
        <Button
          tone="go"
          disabled={Boolean(fault) || lacking.length > 0 || twice !== undefined}
          onClick={() => onDone(columns.join(' '), all)}
        >
          Bring in
        </Button>
      </div>
    </Modal>
  );
}
