import { useEffect, useRef, useState, type ReactNode } from 'react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { PieceView } from '@amber-knit/contracts';
import { api } from '../api/api';
import { ColumnsDialog } from './columns-dialog';
import { noteSending, watchCutOff } from './cut-off';
import { droppedFiles } from './dropped-files';
import { groupFiles, type DroppedFile, type FileGroup } from './group-files';
import { ImportContext, type Incoming } from './import-context';
import { packFiles } from './pack-files';
import { previewClient } from './preview-client';
import { uploadScan } from '../api/upload-scan';

let nextKey = 0;

/** Takes scan files and folders dropped anywhere on the page, puts together what belongs together, and sends it. */
export function ImportDrop({ piece, children }: { piece: PieceView; children: ReactNode }) {
  const [incoming, setIncoming] = useState<Incoming[]>([]);
  const [texts, setTexts] = useState<FileGroup[]>([]);
  const [over, setOver] = useState(false);
  const [setup, setSetup] = useState(piece.setups[piece.setups.length - 1] ?? 'Setup 1');
  const [unit, setUnit] = useState('auto');
  const change = (key: string, c: Partial<Incoming>): void =>
    setIncoming((list) => list.map((i) => (i.key === key ? { ...i, ...c } : i)));
  const show = (name: string, error?: string): string => {
    const key = String(nextKey++);
    setIncoming((list) => [...list, { key, name, fraction: 0, error }]);
    return key;
  };
  // A file is shown from the disk until the step that stores it has come to its end.
  const storing = useRef(new Map<string, string>());
  const { data: steps } = api.useStepsQuery(piece.id);
  useEffect(() => {
    for (const step of steps ?? []) {
      const key = storing.current.get(step.id);
      if (key === undefined || step.status === 'queued' || step.status === 'running') continue;
      storing.current.delete(step.id);
      previewClient.end(key);
    }
  }, [steps]);
  useEffect(
    () =>
      watchCutOff(piece.id, (name) =>
        show(name, 'The page was closed before this was all sent. Add it again: it goes on where it stopped.'),
      ),
    [piece.id],
  );
  const sending = incoming.some((i) => i.error === undefined);
  useEffect(() => {
    if (!sending) return;
    const ask = (e: BeforeUnloadEvent): void => e.preventDefault();
    window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [sending]);
  // A file belongs to the piece that it was dropped on: elsewhere it is not shown.
  useEffect(() => () => previewClient.clear(), [piece.id]);
  const send = async (group: FileGroup, columns = ''): Promise<void> => {
    const key = show(group.name);
    const ended = noteSending(piece.id, group.name);
    const failed = (error: string): void => {
      ended();
      change(key, { error });
    };
    try {
      const file = await packFiles(group);
      if (file.size === 0) return failed('The file is empty (0 bytes). Export or copy it again.');
      previewClient.begin(key, file);
      uploadScan(
        file,
        {
          pieceId: piece.id,
          setup,
          operation: OPERATION_IDS.captureImport,
          params: JSON.stringify({ unit, ...(columns ? { columns } : {}) }),
        },
        {
          progress: (fraction) => change(key, { fraction }),
          done: (stepId) => {
            ended();
            setIncoming((list) => list.filter((i) => i.key !== key));
            storing.current.set(stepId, key);
          },
          failed: (error) => {
            previewClient.end(key);
            failed(error);
          },
        },
      );
    } catch (e) {
      failed(e instanceof Error ? e.message : String(e));
    }
  };
  const add = (files: readonly DroppedFile[]): void => {
    const { groups, unknown } = groupFiles(files);
    if (unknown.length > 0) {
      const some = unknown.slice(0, 4).join(', ');
      show(
        unknown.length === 1 ? some : `${unknown.length} files`,
        `Left out, of no known kind${unknown.length > 1 ? `: ${some}${unknown.length > 4 ? ' …' : ''}` : '.'}`,
      );
    }
    groups.filter((g) => !g.text).forEach((g) => void send(g));
    setTexts((waiting) => [...waiting, ...groups.filter((g) => g.text)]);
  };
  const columnsSaid = (columns: string | null, all: boolean): void => {
    const answered = all ? texts : texts.slice(0, 1);
    setTexts(texts.slice(answered.length));
    if (columns !== null) answered.forEach((g) => void send(g, columns));
  };
  return (
    <ImportContext
      value={{
        incoming,
        setup,
        unit,
        setSetup,
        setUnit,
        add,
        dismiss: (key) => setIncoming((l) => l.filter((i) => i.key !== key)),
      }}
    >
      <div
        onDragOver={(e) => {
          if (!e.dataTransfer.types.includes('Files')) return;
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={(e) => e.currentTarget === e.target && setOver(false)}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          void droppedFiles(e.dataTransfer).then(add);
        }}
      >
        {children}
        {over && (
          <div className="pointer-events-none fixed inset-3 z-30 flex items-center justify-center rounded-2xl border-4 border-dashed border-amber bg-amber-soft/90 text-xl font-semibold">
            Drop scan files or folders to add them to “{setup}”
          </div>
        )}
        {texts.length > 0 && (
          <ColumnsDialog
            key={texts[0].files[0].path}
            file={texts[0].files[0].file}
            more={texts.length - 1}
            onDone={columnsSaid}
          />
        )}
      </div>
    </ImportContext>
  );
}
