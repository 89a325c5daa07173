import { useState } from 'react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { PieceView } from '@amber-knit/contracts';
import { Notice, ProgressBar, SelectRow } from '../../../shared/controls';
import { FileButton, SURFACE_FILES } from '../../../shared/file-button';
import { OtherPieceButton, useSentSurface } from '../other-surface';

const UNITS = { mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' };

/** Where the surroundings come from: another piece, or a file. */
export function SurroundingsChooser({ piece, busy }: { piece: PieceView; busy: boolean }) {
  const [unit, setUnit] = useState<keyof typeof UNITS>('mm');
  const { send, bring, sending, refused } = useSentSurface(piece.id, OPERATION_IDS.checkSurroundings);
  const off = busy || sending !== null;
  return (
    <div className="mt-2 flex flex-col gap-1">
      <div className="flex flex-wrap gap-1">
        <OtherPieceButton
          piece={piece}
          disabled={off}
          label={piece.surroundings ? 'In another piece …' : 'In the place of a piece …'}
          onChoose={(artifact) => bring(artifact, {})}
        />
        <FileButton
          label="File of the surroundings"
          accept={SURFACE_FILES}
          disabled={off}
          onFile={(f) => send(f, { unit })}
        >
          From a file …
        </FileButton>
      </div>
      <SelectRow title="Unit of the file" value={unit} choices={UNITS} onChange={(v: typeof unit) => setUnit(v)} />
      {sending !== null && <ProgressBar value={sending} label="Sending the surroundings" />}
      {refused && <Notice tone="error">{refused}</Notice>}
    </div>
  );
}
