import { useStore, watch } from '../../shared/store';
import type { StageModule, StagePanelProps } from '../stage-module';
import { captureClient } from './live/capture-client';
import { CapturePanel } from './live/capture-panel';
import { CaptureView } from './live/capture-view';
import { lineLaserClient } from './line-laser/line-laser-client';
import { LineLaserPanel } from './line-laser/line-laser-panel';
import { LineLaserView } from './line-laser/line-laser-view';

const byLine = watch(lineLaserClient, (s) => s.phase !== 'closed');
const connected = watch(captureClient, (s) => s.device !== null);

function Panel({ piece }: StagePanelProps) {
  return useStore(byLine) ? <LineLaserPanel piece={piece} /> : <CapturePanel piece={piece} />;
}

export const captureStage: StageModule = {
  id: 'capture',
  panels: [Panel],
  instead: [
    { while: byLine, View: LineLaserView },
    { while: connected, View: CaptureView },
  ],
};
