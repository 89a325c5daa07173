import { useRef } from 'react';
import { FolderUp, Upload } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import { Button } from '../shared/controls';
import { SetupInput } from '../shared/setup-input';
import { chosenFiles } from './dropped-files';
import { CHOOSABLE } from './group-files';
import { useImporting } from './import-context';
import { FILE_UNITS } from './unit-question';

/** Bringing in scan files: setup, unit. */
export function ImportPanel({ piece }: { piece: PieceView }) {
  const { setup, unit, setSetup, setUnit, add } = useImporting();
  const chooser = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const box = 'rounded-lg border border-[var(--field)] bg-panel px-2 py-1';
  return (
    <section aria-label="Scans from files" className="mt-3 flex flex-col gap-2">
      <h3 className="m-0 text-sm font-semibold">Scans from files</h3>
      <p className="m-0 text-muted">
        Drop files or folders anywhere on this page, or choose them: PLY, OBJ (with its materials and pictures), STL,
        OFF, PCD, E57, glTF, points as text (XYZ, PTS, CSV), folders of depth pictures, and zips of all these.
      </p>
      <label className="grid grid-cols-[1fr_10rem] items-center gap-2">
        Setup
        <SetupInput setups={piece.setups} value={setup} onChange={setSetup} className="min-w-0" />
      </label>
      <label className="grid grid-cols-[1fr_10rem] items-center gap-2">
        Unit in the files
        <select value={unit} onChange={(e) => setUnit(e.target.value)} className={box}>
          <option value="auto">Millimetres, checked</option>
          {FILE_UNITS.map((u) => (
            <option key={u.value} value={u.value}>
              {u.name}
            </option>
          ))}
        </select>
      </label>
      <input
        ref={chooser}
        type="file"
        multiple
        accept={CHOOSABLE.map((e) => `.${e}`).join(',')}
        className="hidden"
        aria-label="Scan files"
        onChange={(e) => {
          add(chosenFiles(e.target.files));
          e.target.value = '';
        }}
      />
      <input
        ref={folder}
        type="file"
        {...{ webkitdirectory: '' }}
        className="hidden"
        aria-label="Folder of scans"
        onChange={(e) => {
          add(chosenFiles(e.target.files));
          e.target.value = '';
        }}
      />
      <div className="grid grid-cols-2 gap-2">
        <Button tone="go" onClick={() => chooser.current?.click()}>
          <Upload size={16} /> Choose files
        </Button>
        <Button onClick={() => folder.current?.click()}>
          <FolderUp size={16} /> Or a folder
        </Button>
      </div>
    </section>
  );
}
