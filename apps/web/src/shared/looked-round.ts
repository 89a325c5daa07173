import { Settings } from './store';

const KEY = 'amber-knit.looked-round';

/** Whether this browser was shown round the bench, or did not want to be. */
class LookedRound extends Settings<{ done: boolean }> {
  constructor() {
    super({ done: localStorage.getItem(KEY) !== null });
  }

  end(): void {
    localStorage.setItem(KEY, 'yes');
    this.set({ done: true });
  }
}

export const lookedRound = new LookedRound();
