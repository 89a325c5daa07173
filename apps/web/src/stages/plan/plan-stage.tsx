import type { StageModule } from '../stage-module';
import { PlanAdvicePanel } from './plan-advice';
import { PlanForm } from './plan-form';

export const planStage: StageModule = {
  id: 'plan',
  panels: [PlanAdvicePanel],
  instead: [{ while: { subscribe: () => () => undefined, current: () => true }, View: PlanForm }],
};
