import { Settings } from './store';

/** Whether somebody looks for something by words: opened by a key anywhere, or by a button on each page. */
export const finderOpen = new Settings({ open: false });
