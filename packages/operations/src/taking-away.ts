import { cleanStrays } from './clean-strays.js';
import { cleanSupport } from './clean-support.js';
import type { Operation } from './operation.js';
import { runOperation } from './run-operation.js';

/** The operations that only leave out points, by themselves: for a browser that shows beforehand what would go. */
export const TAKING_AWAY = [cleanSupport, cleanStrays] as unknown as readonly Operation[];

export { runOperation };
