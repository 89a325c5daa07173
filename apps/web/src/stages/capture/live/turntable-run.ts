import type { DepthFrame } from '@amber-knit/core/geometry';
import { markedFrame, readStopMark } from '@amber-knit/core/turntable';

type LooseFrame = Omit<DepthFrame, 'scanFromSensor'>;
export type TurntablePass = 'shape' | 'colour';

/** What a turntable run asks of the device. */
export interface TurntableHands {
  /** A pass begins: small pictures and many stops for the shape, large ones from a few sides for the colour. */
  begin(pass: TurntablePass): void;
  turn(angle: number): void;
  /** One frame more, please. */
  shoot(): void;
  say(text: string): void;
  /** A stop was taken: its frame, marked with pass and angle. */
  taken(frame: DepthFrame): void;
  done(): void;
}

/**
 * Leads a turntable through its stops: turn, wait until it stands, take one frame, go on; first all stops for the shape,
 * then those for the colour. A run that was broken off goes on with the stop it was at. Frames of another angle, still under way from before, are passed over.
 */
export class TurntableRun {
  private readonly taken: Record<TurntablePass, number> = { shape: 0, colour: 0 };
  private pass: TurntablePass = 'shape';
  private stands = false;

  constructor(
    private readonly stops: number,
    private readonly colorViews: number,
    private readonly hands: TurntableHands,
    before: readonly DepthFrame[] = [],
  ) {
    for (const { name } of before) {
      const pass = readStopMark(name)?.pass;
      if (pass === 'shape' || pass === 'colour') this.taken[pass]++;
    }
    if (this.taken.shape >= stops) this.pass = 'colour';
    if (this.taken[this.pass] >= this.count) return;
    hands.begin(this.pass);
    this.next();
  }

  /** Is nothing left to be taken. */
  get complete(): boolean {
    return this.taken.shape >= this.stops && this.taken.colour >= this.colorViews;
  }

  private get count(): number {
    return this.pass === 'shape' ? this.stops : this.colorViews;
  }

  private get wanted(): number {
    return (360 * this.taken[this.pass]) / this.count;
  }

  private next(): void {
    this.stands = false;
    const n = this.taken[this.pass] + 1;
    this.hands.say(`${this.pass === 'shape' ? 'Stop' : 'Colour from side'} ${n} of ${this.count}`);
    this.hands.turn(this.wanted);
  }

  /** The table stands. */
  turned(angle: number): void {
    if (Math.abs(angle - this.wanted) > 0.5) return;
    this.stands = true;
    this.hands.shoot();
  }

  /** Takes a frame that came at an angle. */
  take(frame: LooseFrame, angle: number): void {
    if (!this.stands || Math.abs(angle - this.wanted) > 0.5) {
      // One from before the turn: the next will be right.
      if (this.stands) this.hands.shoot();
      return;
    }
    this.hands.taken(markedFrame(frame, this.pass, angle));
    this.taken[this.pass]++;
    if (this.taken[this.pass] < this.count) return this.next();
    if (this.pass === 'shape' && this.colorViews > 0) {
      this.pass = 'colour';
      this.hands.begin('colour');
      return this.next();
    }
    this.hands.done();
  }
}
