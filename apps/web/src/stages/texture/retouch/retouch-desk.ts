import { MOST_DABS, type Dab } from '@amber-knit/core/geometry';
import type { TouchKind, TouchManner } from '@amber-knit/core/retouching';
import { Store } from '../../../shared/store';
import { retouchClient, type RetouchClient } from './retouch-client';

type Place = readonly [number, number, number];

export interface RetouchSettings {
  tool: TouchKind | null;
  /** Of the brush, mm. */
  radius: number;
  opacity: number;
  hardness: number;
  /** #rrggbb */
  color: string;
  /** Where a copy comes from. */
  from: Place | null;
  turn: number;
  /** What is copied, or taken from a picture, takes the colour of the place. */
  blend: Readonly<Record<'copy' | 'picture', boolean>>;
  scan: string | null;
  frame: string | null;
  lighter: number;
  strength: number;
  hue: number;
}

const FIRST: RetouchSettings = {
  tool: null,
  radius: 0,
  opacity: 1,
  hardness: 0.6,
  color: '#9c6b43',
  from: null,
  turn: 0,
  // Pictures differ in light; what is copied is wanted as it is.
  blend: { copy: false, picture: true },
  scan: null,
  frame: null,
  lighter: 0.2,
  strength: 1,
  hue: 0,
};

/** Dabs of a stroke lie at least so many radii apart. */
export const DAB_STEP = 0.3;
/** Digits kept of places, mm: a micrometre. */
const DIGITS = 1e3;

const rounded = (x: number): number => Math.round(x * DIGITS) / DIGITS;
const placeOf = (p: Place): [number, number, number] => [rounded(p[0]), rounded(p[1]), rounded(p[2])];

/** Red, green and blue of #rrggbb. */
export const rgbOf = (color: string): [number, number, number] =>
  [1, 3, 5].map((at) => parseInt(color.slice(at, at + 2), 16)) as [number, number, number];

/** What a tool wants before a stroke can begin; undefined if nothing. */
export function lackingOf({ tool, from, scan, frame }: RetouchSettings): 'from' | 'picture' | undefined {
  if (tool === 'copy' && !from) return 'from';
  if (tool === 'picture' && !(scan && frame)) return 'picture';
  return undefined;
}

/**
 * What the pen does on the colours: a small state machine between pointer and map. It is told places on the surface and asks the
 * client for strokes.
 */
export class RetouchDesk extends Store<RetouchSettings> {
  private dabs: Dab[] | null = null;

  constructor(private readonly client: Pick<RetouchClient, 'ask'>) {
    super(FIRST);
  }

  /** Chooses a tool, or none. */
  choose(tool: TouchKind | null): void {
    this.give();
    this.put({ ...this.state, tool });
  }

  /** A first brush for a surface of such an extent, mm, unless one was chosen: a fortieth of it. */
  fit(size: number): void {
    if (this.state.radius === 0) this.set({ radius: Number(Math.max(0.2, size / 40).toPrecision(1)) });
  }

  set(change: Partial<Omit<RetouchSettings, 'tool'>>): void {
    this.put({ ...this.state, ...change });
  }

  /** The brush larger or smaller. */
  grow(factor: number): void {
    this.set({ radius: Math.max(0.05, Number((this.state.radius * factor).toPrecision(2))) });
  }

  /** Another scan's pictures, whose names are asked for. */
  chooseScan(scan: string): void {
    this.set({ scan, frame: null });
    this.client.ask({ ask: 'frames', scan });
  }

  /** The pen comes down on the surface: a stroke begins, or a copy gets its source. @returns true if a stroke began */
  press(at: Place, pressure = 1, wantsSource = false): boolean {
    const { tool } = this.state;
    if (!tool) return false;
    if (tool === 'copy' && (wantsSource || !this.state.from)) {
      this.set({ from: placeOf(at) });
      return false;
    }
    const manner = this.manner(tool);
    if (!manner) return false;
    this.dabs = [];
    this.client.ask({ ask: 'begin', manner });
    this.dab(at, pressure);
    return true;
  }

  /** The pen moves on over the surface. @returns true if it went far enough for another dab */
  draw(at: Place, pressure = 1): boolean {
    const last = this.dabs?.at(-1);
    if (!last || Math.hypot(at[0] - last[0], at[1] - last[1], at[2] - last[2]) < DAB_STEP * this.state.radius)
      return false;
    // A stroke without end becomes several.
    if (this.dabs!.length >= MOST_DABS) {
      this.release();
      this.press(at, pressure);
    } else this.dab(at, pressure);
    return true;
  }

  /** The pen leaves the surface: what was drawn is a stroke. */
  release(): void {
    if (!this.dabs) return;
    this.dabs = null;
    this.client.ask({ ask: 'end' });
  }

  /** Gives up what is being drawn; with nothing begun, the tool. @returns false if there is none */
  cancel(): boolean {
    if (!this.state.tool) return false;
    if (this.dabs) this.give();
    else this.put({ ...this.state, tool: null });
    return true;
  }

  private give(): void {
    if (this.dabs) this.client.ask({ ask: 'end' });
    this.dabs = null;
  }

  private dab(at: Place, pressure: number): void {
    const dab: Dab = [...placeOf(at), this.state.radius, rounded(Math.max(0.05, Math.min(1, pressure)))];
    this.dabs!.push(dab);
    this.client.ask({ ask: 'dab', dab });
  }

  private manner(kind: TouchKind): TouchManner | undefined {
    const { opacity, hardness, color, from, turn, blend, scan, frame, lighter, strength, hue } = this.state;
    const brush = { opacity, hardness };
    switch (kind) {
      case 'paint':
      case 'tint':
        return { kind, ...brush, color: rgbOf(color) };
      case 'copy':
        return from ? { kind, ...brush, from: placeOf(from), turn, heal: blend.copy } : undefined;
      case 'picture':
        return scan && frame ? { kind, ...brush, scan, frame, heal: blend.picture } : undefined;
      case 'tone':
        return { kind, ...brush, lighter, strength, hue };
      default:
        return { kind, ...brush };
    }
  }
}

export const retouchDesk = new RetouchDesk(retouchClient);
