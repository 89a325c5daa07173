import { useState } from 'react';
import { Download } from 'lucide-react';
import { bytesText } from '@amber-knit/operations/quantity-text';
import { artifactUrl } from '../../api/artifact-url';
import { Check } from '../../shared/controls';
import type { StagePanelProps } from '../stage-module';
import { deliveredFiles } from './delivered-files';

/** What was written so far: each file to be taken alone, or those that are wanted as one zip. */
export function FilesPanel({ piece, steps }: StagePanelProps) {
  const [left, setLeft] = useState<readonly string[]>([]);
  const files = deliveredFiles(steps).toReversed();
  if (files.length === 0) return null;
  const taken = files.filter((f) => !left.includes(f.id));
  const bytes = taken.reduce((sum, f) => sum + (f.bytes ?? 0), 0);
  const only = taken.length === files.length ? '' : `?only=${taken.map((f) => f.id).join(',')}`;
  return (
    <section aria-label="Files" className="border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">Files</h3>
      <ul className="m-0 flex list-none flex-col p-0">
        {files.map((f) => (
          <li key={f.id} className="flex items-center gap-2 rounded-lg px-1 hover:bg-sunk">
            <span className="min-w-0 flex-1">
              <Check
                checked={!left.includes(f.id)}
                onChange={() => setLeft(left.includes(f.id) ? left.filter((id) => id !== f.id) : [...left, f.id])}
              >
                <span className="break-all">{f.name}</span>
              </Check>
            </span>
            {f.bytes !== undefined && <span className="num text-muted">{bytesText(f.bytes)}</span>}
            <a
              href={artifactUrl(f.id)}
              download={f.name}
              aria-label={`Take ${f.name}`}
              className="inline-flex rounded-lg p-1 text-ink hover:bg-panel"
            >
              <Download size={15} aria-hidden />
            </a>
          </li>
        ))}
      </ul>
      {files.length > 1 && (
        <a
          href={taken.length > 0 ? `/api/pieces/${piece.id}/delivered${only}` : undefined}
          download
          aria-disabled={taken.length === 0}
          className="mt-2 inline-flex min-h-8 items-center gap-1.5 rounded-lg border border-line bg-panel px-3 py-1 text-ink no-underline hover:bg-sunk aria-disabled:opacity-50"
        >
          <Download size={16} aria-hidden />
          {taken.length === 0
            ? 'Choose what goes into the zip'
            : `Take ${taken.length === files.length ? 'all' : taken.length} as one zip (${bytesText(bytes)})`}
        </a>
      )}
    </section>
  );
}
