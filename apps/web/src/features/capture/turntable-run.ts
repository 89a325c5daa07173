import type { DepthFrame } from '@amber-knit/core/geometry';

/** What a turntable run asks of the device. */
export interface TurntableHands {
  turn(angle: number): void;
  /** One frame more, please. */
  shoot(): void;
  say(text: string): void;
  done(frames: Omit<DepthFrame, 'scanFromSensor'>[], angles: number[]): void;
}

/**
 * Leads a turntable through its stops: turn, wait until it stands, take one frame, go on. Frames of another angle, still
 * under way from before, are passed over.
 */
export class TurntableRun {
  private readonly frames: Omit<DepthFrame, 'scanFromSensor'>[] = [];
  private readonly angles: number[] = [];
  private stands = false;

  constructor(
    private readonly stops: number,
    private readonly hands: TurntableHands,
  ) {
    this.next();
  }

  private get wanted(): number {
    return (360 * this.frames.length) / this.stops;
  }

  private next(): void {
    this.stands = false;
    this.hands.say(`Stop ${this.frames.length + 1} of ${this.stops}`);
    this.hands.turn(this.wanted);
  }

  /** The table stands. */
  turned(angle: number): void {
    if (Math.abs(angle - this.wanted) > 0.5) return;
    this.stands = true;
    this.hands.shoot();
  }

  /** Takes a frame that came at an angle. */
  take(frame: Omit<DepthFrame, 'scanFromSensor'>, angle: number): void {
    if (!this.stands || Math.abs(angle - this.wanted) > 0.5) {
      // One from before the turn: the next will be right.
      if (this.stands) this.hands.shoot();
      return;
    }
    this.frames.push(frame);
    this.angles.push(angle);
    if (this.frames.length < this.stops) this.next();
    else this.hands.done(this.frames, this.angles);
  }
}
