import { faultOfTouches, MOST_TOUCHES, type Touch } from '@amber-knit/core/retouching';
import { KeptEdits } from '../../../shared/hand/kept-edits';

/** Strokes on maps that are not kept as a step yet. */
export const keptTouches = new KeptEdits<Touch>('amber-knit strokes', faultOfTouches, MOST_TOUCHES);
