import type { Vec3 } from '@amber-knit/core/math';
import type { FoundPlacing, FoundWay, Placing, PlacingSheet } from '@amber-knit/core/placing';
import { AskingWorker } from '../../../shared/asking-worker';
import { Store } from '../../../shared/store';
import { motionOf, numbersOf, shiftedBy, turnedBy, type MotionNumbers } from './motion-numbers';
import type { FromPlacing, ToPlacing } from './placing.worker';

/** What a click in the view does: sets the piece down there, or picks the faces that are laid on one another. */
export type PlacingTool = 'move' | 'set-down' | 'lay-on';

/** A placing as it is listed: what was asked, and what was found of it and of the way from the one before. */
export interface PlacingRow {
  asked: Placing;
  found?: FoundPlacing;
  way?: FoundWay;
}

export interface PlacingState {
  /** The surfaces that are shown together; null while the piece stands alone. */
  open: { piece: string; scene: string } | null;
  /** The piece's middle in its own frame and half its diagonal, once they are known. */
  size: { middle: Vec3; radius: number } | null;
  /** How the piece lies now; null until that is known. */
  motion: number[] | null;
  tool: PlacingTool;
  /** A place of the piece that is to be laid on something, in its own frame. */
  picked: Vec3 | null;
  /** What was last found, and whether that is of how it lies now. */
  live: FoundPlacing | null;
  fresh: boolean;
  /** Of a clash how deep each vertex of the piece lies. */
  depths: Float32Array | null;
  /** What shall be kept and is not yet on the server; null if all is. */
  wanted: Placing[] | null;
  selected: number | null;
  /** What lies within the surroundings shows through them. */
  seeThrough: boolean;
  failed: string | null;
  canUndo: boolean;
  canRedo: boolean;
}

const NOTHING: PlacingState = {
  open: null,
  size: null,
  motion: null,
  tool: 'move',
  picked: null,
  live: null,
  fresh: false,
  depths: null,
  wanted: null,
  selected: null,
  seeThrough: false,
  failed: null,
  canUndo: false,
  canRedo: false,
};

/** How long the piece must lie still before it is looked at thoroughly, ms. */
const STILL_MS = 350;
const same = (a: readonly number[], b: readonly number[]): boolean => a.every((v, i) => Math.abs(v - b[i]) < 1e-9);

/**
 * Moves the piece about in its surroundings and says at once how much room there is. Moves are taken back one by one; the
 * list of placings goes to the server as a step, which looks at all of them for the record.
 */
export class PlacingDesk extends Store<PlacingState> {
  private readonly worker = new AskingWorker<ToPlacing, FromPlacing>(
    () => new Worker(new URL('./placing.worker.ts', import.meta.url), { type: 'module' }),
    { failed: 'The browser could not look at this. Reload the page.' },
  );
  private before: number[][] = [];
  private after: number[][] = [];
  private looking = false;
  private still: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    super(NOTHING);
  }

  /** Shows the piece in its surroundings, above their middle, or where a placing has it. */
  async begin(piece: string, scene: string, placing?: Placing): Promise<void> {
    const open = { piece, scene };
    this.put({ ...NOTHING, wanted: this.state.wanted, open, motion: placing?.sceneFromPiece ?? null });
    const answer = await this.worker.ask({ ...open, ask: 'open' });
    if (this.state.open !== open) return;
    if (!('middle' in answer)) return this.fail(answer);
    const { middle, radius, scene: box } = answer;
    const above = motionOf(
      {
        middle: [(box.min[0] + box.max[0]) / 2, (box.min[1] + box.max[1]) / 2, box.max[2] + radius],
        turns: [0, 0, 0],
      },
      middle,
    );
    this.put({ ...this.state, size: { middle, radius }, motion: this.state.motion ?? above });
    void this.look();
  }

  /** Shows the piece alone again. */
  end(): void {
    clearTimeout(this.still);
    this.before = [];
    this.after = [];
    this.put({ ...NOTHING, wanted: this.state.wanted });
  }

  clear(): void {
    this.end();
    this.worker.end();
    this.put(NOTHING);
  }

  choose(tool: PlacingTool): void {
    this.put({ ...this.state, tool: this.state.tool === tool ? 'move' : tool, picked: null, failed: null });
  }

  seeThrough(on: boolean): void {
    this.put({ ...this.state, seeThrough: on });
  }

  /** Escape: lets go what was picked, then puts the tool down. */
  withdraw(): void {
    this.put({ ...this.state, ...(this.state.picked ? { picked: null } : { tool: 'move' as const }) });
  }

  /** Begins a move that `drag` goes on with: all of it is taken back at once. */
  grab(): void {
    if (!this.state.motion) return;
    this.before.push(this.state.motion);
    this.after = [];
    this.put({ ...this.state, canUndo: true, canRedo: false, selected: null });
  }

  /** The piece lies so while it is being moved. */
  drag(motion: number[]): void {
    this.put({ ...this.state, motion, fresh: false, depths: null });
    void this.look();
  }

  /** Moves the piece at one stroke. */
  moveTo(motion: number[]): void {
    this.grab();
    this.drag(motion);
  }

  shift(axis: number, by: number): void {
    if (this.state.motion) this.moveTo(shiftedBy(this.state.motion, axis, by));
  }

  turn(axis: number, degrees: number): void {
    const { motion, size } = this.state;
    if (motion && size) this.moveTo(turnedBy(motion, axis, degrees, size.middle));
  }

  get numbers(): MotionNumbers | null {
    const { motion, size } = this.state;
    return motion && size && numbersOf(motion, size.middle);
  }

  set numbers(numbers: MotionNumbers) {
    if (this.state.size) this.moveTo(motionOf(numbers, this.state.size.middle));
  }

  /** @returns false if there is no move to take back or do again */
  step(direction: 'undo' | 'redo'): boolean {
    const [from, to] = direction === 'undo' ? [this.before, this.after] : [this.after, this.before];
    const motion = from.pop();
    if (!motion || !this.state.motion) return false;
    to.push(this.state.motion);
    this.put({ ...this.state, canUndo: this.before.length > 0, canRedo: this.after.length > 0, selected: null });
    this.drag(motion);
    return true;
  }

  /** A place of the surroundings was clicked: the piece is set down there, or laid on the face there. */
  async clickedScene(place: Vec3): Promise<void> {
    const { open, motion, tool, picked } = this.state;
    if (!open || !motion) return;
    if (tool === 'set-down') await this.takeMotion({ ...open, ask: 'set-down', motion, place });
    if (tool === 'lay-on' && picked) {
      this.put({ ...this.state, picked: null });
      await this.takeMotion({ ...open, ask: 'lay-on', motion, from: picked, to: place });
    }
  }

  /** A place of the piece was clicked, in its own frame. */
  clickedPiece(place: Vec3): void {
    if (this.state.tool === 'lay-on') this.put({ ...this.state, picked: place, failed: null });
  }

  /** Keeps how the piece lies now under a new name. */
  keep(kept: readonly Placing[]): void {
    const { motion } = this.state;
    if (!motion) return;
    const list = this.state.wanted ?? kept;
    let n = 1;
    while (list.some((p) => p.name === `Placing ${n}`)) n++;
    const wanted = [...list, { name: `Placing ${n}`, note: '', sceneFromPiece: motion }];
    this.put({ ...this.state, wanted, selected: list.length });
  }

  change(at: number, change: Partial<Placing>, kept: readonly Placing[]): void {
    const wanted = (this.state.wanted ?? kept).map((p, i) => (i === at ? { ...p, ...change } : p));
    this.put({ ...this.state, wanted });
  }

  /** Has the list looked at anew, as it is. */
  again(kept: readonly Placing[]): void {
    this.put({ ...this.state, wanted: [...(this.state.wanted ?? kept)] });
  }

  remove(at: number, kept: readonly Placing[]): void {
    this.put({ ...this.state, wanted: (this.state.wanted ?? kept).filter((_, i) => i !== at), selected: null });
  }

  /** Puts the piece where a placing has it. */
  goTo(at: number, placing: Placing): void {
    this.moveTo(placing.sceneFromPiece.slice());
    this.put({ ...this.state, selected: at });
  }

  /** The server's list has come: what it holds is no longer wanted. */
  settled(sheet: PlacingSheet | undefined): void {
    if (this.state.wanted && JSON.stringify(this.state.wanted) === JSON.stringify(sheet?.asked ?? []))
      this.put({ ...this.state, wanted: null });
  }

  /** What could not be kept is let go; the list shows again what the server has. */
  refused(): void {
    this.put({ ...this.state, wanted: null });
  }

  /** The list as it stands: what is wanted before what the server has. */
  rows(sheet: PlacingSheet | undefined): PlacingRow[] {
    return (this.state.wanted ?? sheet?.asked ?? []).map((asked, i, all) => {
      const was = sheet?.asked.findIndex((a) => same(a.sceneFromPiece, asked.sceneFromPiece)) ?? -1;
      const before = i > 0 && was > 0 && same(sheet!.asked[was - 1].sceneFromPiece, all[i - 1].sceneFromPiece);
      return {
        asked,
        ...(was >= 0 ? { found: sheet!.found[was] } : {}),
        ...(before && sheet!.ways[was - 1] ? { way: sheet!.ways[was - 1] } : {}),
      };
    });
  }

  private async takeMotion(question: ToPlacing): Promise<void> {
    const answer = await this.worker.ask(question);
    if (this.state.open?.scene !== question.scene) return;
    if ('motion' in answer) {
      this.put({ ...this.state, failed: null });
      this.moveTo(answer.motion);
    } else this.fail(answer);
  }

  private fail(answer: FromPlacing): void {
    this.put({ ...this.state, failed: 'failed' in answer ? answer.failed : 'The browser could not look at this.' });
  }

  /** Looks at how the piece lies, one look at a time: quickly while it moves, thoroughly once it lies still. */
  private async look(thorough = false): Promise<void> {
    clearTimeout(this.still);
    if (this.looking) return;
    const { open, motion, size } = this.state;
    if (!open || !motion || !size) return;
    this.looking = true;
    const answer = await this.worker.ask({ ...open, ask: 'look', motion, thorough });
    this.looking = false;
    if (this.state.open !== open) return;
    if (!('found' in answer)) return this.fail(answer);
    const now = this.state.motion === motion;
    this.put({
      ...this.state,
      live: answer.found,
      fresh: now && thorough,
      depths: now ? (answer.depths ?? null) : null,
    });
    if (!now) void this.look();
    else if (!thorough) this.still = setTimeout(() => void this.look(true), STILL_MS);
  }
}

export const placingDesk = new PlacingDesk();
