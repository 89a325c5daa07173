import { Settings } from '../shared/store';

/** Where a remark is to go: chosen in the view before it is written. */
export interface RemarksState {
  /** The list is open, and the pins are in the view. */
  open: boolean;
  /** The next click on the surface is the place of the remark. */
  picking: boolean;
  place: { at: [number, number, number]; meshId: string } | null;
  /** The remark that is looked at. */
  chosen: string | null;
  /** Counts up when the view is to go to it. */
  visits: number;
}

const CLOSED: RemarksState = { open: false, picking: false, place: null, chosen: null, visits: 0 };

/** What the list of remarks and the pins in the view have in common. */
class RemarksDesk extends Settings<RemarksState> {
  constructor() {
    super(CLOSED);
  }

  toggle(): void {
    this.put({ ...CLOSED, open: !this.state.open });
  }

  /** Looks at a remark, in the list and in the view. */
  visit(id: string): void {
    this.set({ chosen: id, visits: this.state.visits + 1 });
  }

  pick(): void {
    this.set({ picking: true, place: null });
  }

  /** @param meshId the surface that it lies on: on another it is no place */
  picked(at: [number, number, number], meshId: string): void {
    this.set({ picking: false, place: { at, meshId } });
  }

  /** Gives up choosing a place. */
  cancel(): void {
    if (this.state.picking) this.set({ picking: false });
  }
}

export const remarksDesk = new RemarksDesk();
