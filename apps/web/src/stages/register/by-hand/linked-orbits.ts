import type { Orbit } from '../../../view/view-content';

/** A view as far as it is turned with others. */
export interface Turning {
  orbit: Orbit;
  /** Told each change: by hand, or led by something else. */
  onOrbit?: (orbit: Orbit, led: boolean) => void;
}

/** Views that turn and come nearer together, each from how it stands: they need not look the same way. */
export class LinkedOrbits {
  private readonly last = new Map<Turning, Orbit>();
  on = true;

  /** @returns what takes the view out again */
  join(view: Turning): () => void {
    this.last.set(view, view.orbit);
    view.onOrbit = (orbit, led) => this.follow(view, orbit, led);
    return () => {
      view.onOrbit = undefined;
      this.last.delete(view);
    };
  }

  private follow(leader: Turning, now: Orbit, led: boolean): void {
    const before = this.last.get(leader)!;
    this.last.set(leader, now);
    if (!this.on || led) return;
    for (const view of this.last.keys()) {
      if (view === leader) continue;
      const own = view.orbit;
      view.orbit = {
        around: own.around + now.around - before.around,
        down: own.down + now.down - before.down,
        distance: (own.distance * now.distance) / before.distance,
      };
      this.last.set(view, view.orbit);
    }
  }
}
