import { Download } from 'lucide-react';
import { artifactUrl } from '../../api/artifact-url';
import { ArchivePanel } from './archive-panel';
import { FilesPanel } from './files-panel';
import { ReportPanel } from './report-panel';
import { SharedViewsPanel } from './shared-views-panel';
import type { StageModule } from '../stage-module';

export const deliverStage: StageModule = {
  id: 'deliver',
  panels: [FilesPanel, ReportPanel, SharedViewsPanel, ArchivePanel],
  Result: ({ step }) =>
    step.outputs[0] && (
      <a
        href={artifactUrl(step.outputs[0])}
        download={String(step.figures?.file)}
        className="mt-2 inline-flex items-center gap-1.5 rounded-lg bg-amber px-3 py-1.5 font-semibold text-on-amber no-underline"
      >
        <Download size={16} /> Download {String(step.figures?.file)}
      </a>
    ),
};
