import { useState, type ReactNode } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import { ImportContext, type Incoming } from './import-context';
import { uploadScan } from './upload-scan';

/** Takes scan files dropped anywhere on the page and sends them. */
export function ImportDrop({ piece, children }: { piece: PieceView; children: ReactNode }) {
  const [incoming, setIncoming] = useState<Incoming[]>([]);
  const [over, setOver] = useState(false);
  const [setup, setSetup] = useState(piece.setups[piece.setups.length - 1] ?? 'Setup 1');
  const [unit, setUnit] = useState('auto');
  const change = (key: string, c: Partial<Incoming>): void =>
    setIncoming((list) => list.map((i) => (i.key === key ? { ...i, ...c } : i)));
  const add = (files: File[]): void => {
    for (const file of files) {
      const key = `${file.name} ${file.size} ${file.lastModified} ${Date.now()}`;
      setIncoming((list) => [...list, { key, name: file.name, fraction: 0 }]);
      if (file.size === 0) {
        change(key, { error: 'The file is empty (0 bytes). Export or copy it again.' });
        continue;
      }
      uploadScan(
        file,
        { pieceId: piece.id, setup, unit },
        {
          progress: (fraction) => change(key, { fraction }),
          done: () => setIncoming((list) => list.filter((i) => i.key !== key)),
          failed: (error) => change(key, { error }),
        },
      );
    }
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
          add(Array.from(e.dataTransfer.files));
        }}
      >
        {children}
        {over && (
          <div className="pointer-events-none fixed inset-3 z-30 flex items-center justify-center rounded-2xl border-4 border-dashed border-amber bg-amber-soft/90 text-xl font-semibold">
            Drop scan files to add them to “{setup}”
          </div>
        )}
      </div>
    </ImportContext>
  );
}
