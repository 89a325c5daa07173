import { FileText } from 'lucide-react';
import type { StagePanelProps } from '../stage-module';

/** The report of the piece as it stands. */
export function ReportPanel({ piece }: StagePanelProps) {
  return (
    <section aria-label="Report" className="border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">Report</h3>
      <p className="mb-2 mt-0 text-muted">
        What was scanned, how it was made, how sure it is, what was measured: one page to read, print and sign.
      </p>
      <a
        href={`/api/pieces/${piece.id}/report`}
        target="_blank"
        rel="noreferrer"
        className="inline-flex min-h-8 items-center gap-1.5 rounded-lg border border-line bg-panel px-3 py-1 text-ink no-underline hover:bg-sunk"
      >
        <FileText size={16} aria-hidden /> Open the report
      </a>
    </section>
  );
}
