import type { StageModule } from '../stage-module';
import { PlanAdvicePanel } from './plan-advice';
import { PlanForm } from './plan-form';

export const planStage: StageModule = {
  id: 'plan',
  guide:
    'Say what the object is and what it is for. Device, settings, setups and later defaults follow; all of it stays open to change.',
  panels: [PlanAdvicePanel],
  instead: [{ while: { subscribe: () => () => undefined, current: () => true }, View: PlanForm }],
};
