import { faultOfHandEdits, MOST_EDITS, type HandEdit } from '@amber-knit/core/handwork';
import { KeptEdits } from '../../../shared/hand/kept-edits';

/** Work by hand on surfaces that is not kept as a step yet. */
export const keptEdits = new KeptEdits<HandEdit>('amber-knit handwork', faultOfHandEdits, MOST_EDITS);
