import type { DepthFrame } from '@amber-knit/core/geometry';

type LooseFrame = Omit<DepthFrame, 'scanFromSensor'>;
export type TurntablePass = 'shape' | 'colour';

/** Frames of one pass with the angles they were taken at, degrees. */
export interface StopFrames {
  frames: LooseFrame[];
  angles: number[];
}

/** What a turntable run asks of the device. */
export interface TurntableHands {
  /** A pass begins: small pictures and many stops for the shape, large ones from a few sides for the colour. */
  begin(pass: TurntablePass): void;
  turn(angle: number): void;
  /** One frame more, please. */
  shoot(): void;
  say(text: string): void;
  done(shape: StopFrames, colour: StopFrames): void;
}

/**
 * Leads a turntable through its stops: turn, wait until it stands, take one frame, go on; first all stops for the shape,
 * then those for the colour. Frames of another angle, still under way from before, are passed over.
 */
export class TurntableRun {
  private readonly taken: Record<TurntablePass, StopFrames> = {
    shape: { frames: [], angles: [] },
    colour: { frames: [], angles: [] },
  };
  private pass: TurntablePass = 'shape';
  private stands = false;

  constructor(
    private readonly stops: number,
    private readonly colorViews: number,
    private readonly hands: TurntableHands,
  ) {
    hands.begin('shape');
    this.next();
  }

  private get count(): number {
    return this.pass === 'shape' ? this.stops : this.colorViews;
  }

  private get wanted(): number {
    return (360 * this.taken[this.pass].frames.length) / this.count;
  }

  private next(): void {
    this.stands = false;
    const n = this.taken[this.pass].frames.length + 1;
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
    const { frames, angles } = this.taken[this.pass];
    frames.push(frame);
    angles.push(angle);
    if (frames.length < this.count) return this.next();
    if (this.pass === 'shape' && this.colorViews > 0) {
      this.pass = 'colour';
      this.hands.begin('colour');
      return this.next();
    }
    this.hands.done(this.taken.shape, this.taken.colour);
  }
}
