import { useState } from 'react';
import { Upload } from 'lucide-react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { uploadScan, type UploadJob } from '../../../api/upload-scan';
import { Button, Notice, ProgressBar, SelectRow } from '../../../shared/controls';
import { FileButton, SURFACE_FILES } from '../../../shared/file-button';
import type { StagePanelProps } from '../../stage-module';

const UNITS = { auto: 'Millimetres, checked', mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' };

/** Brings in a surface that was made elsewhere, or with an earlier piece. */
export function BringInPanel({ piece, busy }: StagePanelProps) {
  const [unit, setUnit] = useState<keyof typeof UNITS>('auto');
  const [sending, setSending] = useState<{ share: number; job: UploadJob } | null>(null);
  const [refused, setRefused] = useState<string | null>(null);
  const send = (file: File): void => {
    setRefused(null);
    const params = JSON.stringify({ unit, ...(piece.plan ? { expected: piece.plan.size } : {}) });
    const job = uploadScan(
      file,
      { pieceId: piece.id, setup: '', operation: OPERATION_IDS.mendBringIn, params },
      {
        progress: (share) => setSending({ share, job }),
        done: () => setSending(null),
        failed: (message) => {
          setSending(null);
          setRefused(message);
        },
      },
    );
    setSending({ share: 0, job });
  };
  const form = (
    <>
      <SelectRow title="Unit of the file" value={unit} choices={UNITS} onChange={(u: typeof unit) => setUnit(u)} />
      <div className="mt-2 flex items-center gap-1">
        <FileButton
          label="File of the surface"
          accept={SURFACE_FILES}
          tone={piece.mesh || piece.scans > 0 ? 'plain' : 'go'}
          disabled={busy || sending !== null}
          onFile={send}
        >
          <Upload size={15} aria-hidden /> Choose a surface …
        </FileButton>
        {sending && (
          <Button
            onClick={() => {
              sending.job.abort();
              setSending(null);
            }}
          >
            Cancel
          </Button>
        )}
      </div>
      {sending && (
        <div className="mt-2">
          <ProgressBar value={sending.share} label="Sending the surface" />
        </div>
      )}
      {refused && <Notice tone="error">{refused}</Notice>}
    </>
  );
  if (piece.mesh)
    return (
      <details className="relative border-b border-line py-3">
        <summary className="cursor-pointer text-sm font-semibold">Another surface from a file</summary>
        <p className="mb-2 mt-1 text-muted">It takes the place of the piece’s surface; undo brings that back.</p>
        {form}
      </details>
    );
  return (
    <section aria-label="A surface from a file" className="relative border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">A surface from a file</h3>
      <p className="mb-2 mt-1 text-muted">
        Mend, work on, texture or check a surface that was made elsewhere: STL, OBJ, PLY, OFF, GLB, 3MF, or one of them
        in a zip. What is wrong with it is told.
      </p>
      {form}
    </section>
  );
}
