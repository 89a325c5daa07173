import { FileDown, FileText } from 'lucide-react';
import type { StagePanelProps } from '../stage-module';

const LINK =
  'inline-flex min-h-8 items-center gap-1.5 rounded-lg border border-line bg-panel px-3 py-1 text-ink no-underline hover:bg-sunk';

/** The report of the piece as it stands. */
export function ReportPanel({ piece }: StagePanelProps) {
  return (
    <section aria-label="Report" className="border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">Report</h3>
      <p className="mb-2 mt-0 text-muted">
        What was scanned, how it was made, how sure it is, what was measured: one page to read, print and sign.
      </p>
      <div className="flex flex-wrap gap-2">
        <a href={`/api/pieces/${piece.id}/report`} target="_blank" rel="noreferrer" className={LINK}>
          <FileText size={16} aria-hidden /> Open the report
        </a>
        <a href={`/api/pieces/${piece.id}/report/pdf`} download className={LINK}>
          <FileDown size={16} aria-hidden /> Report as PDF
        </a>
      </div>
    </section>
  );
}
