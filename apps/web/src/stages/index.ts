import type { Stage } from '@amber-knit/contracts';
import { captureStage } from './capture/capture-stage';
import { checkStage } from './check/check-stage';
import { cleanStage } from './clean/clean-stage';
import { deliverStage } from './deliver/deliver-stage';
import { fuseStage } from './fuse/fuse-stage';
import { mendStage } from './mend/mend-stage';
import { planStage } from './plan/plan-stage';
import { registerStage } from './register/register-stage';
import type { StageModule } from './stage-module';
import { textureStage } from './texture/texture-stage';

/** All stages, one line each. */
export const STAGE_MODULES: readonly StageModule[] = [
  planStage,
  captureStage,
  cleanStage,
  registerStage,
  fuseStage,
  mendStage,
  textureStage,
  checkStage,
  deliverStage,
];

export const moduleOf = (stage: Stage): StageModule => STAGE_MODULES.find((m) => m.id === stage)!;
