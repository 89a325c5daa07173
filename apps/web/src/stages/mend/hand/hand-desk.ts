import { MOST_DABS, MOST_OUTLINE, type Dab, type HandEditKind } from '@amber-knit/core/handwork';
import type { ScreenView } from '@amber-knit/core/selection';
import { Store } from '../../../shared/store';
import type { HandClient } from './hand-client';
import { handClient } from './hand-client';
import type { BrushManner, CutAsked } from './hand-messages';

export type HandTool = HandEditKind;
type Place = readonly [number, number, number];

export interface HandSettings {
  tool: HandTool | null;
  /** Of the brush, mm. */
  radius: number;
  /** How strongly a brush smooths or flattens, 0–1. */
  strength: number;
  /** How far a brush pushes outwards, mm. */
  by: number;
  keepEdges: boolean;
  withinError: boolean;
  /** Of a filling. */
  shape: 'smooth' | 'flat';
  /** Of a bridge, mm. */
  width: number;
  /** Along which plane is cut: as drawn, or level at the place clicked. */
  cutAlong: 'drawn' | 'level';
  keep: CutAsked['keep'];
  cap: boolean;
  /** A lasso takes what lies behind as well; the surface goes on over the place. */
  through: boolean;
  refill: boolean;
  /** Where a bridge begins, once that has been clicked. */
  from: Place | null;
}

const FIRST: HandSettings = {
  tool: null,
  radius: 0,
  strength: 0.5,
  by: 1,
  keepEdges: true,
  withinError: false,
  shape: 'smooth',
  width: 3,
  cutAlong: 'drawn',
  keep: 'larger',
  cap: true,
  through: false,
  refill: true,
  from: null,
};

/** Dabs of a stroke lie at least so many radii apart. */
export const DAB_STEP = 0.3;
/** Digits kept of places, mm: a micrometre. */
const DIGITS = 1e3;

const rounded = (x: number): number => Math.round(x * DIGITS) / DIGITS;
const placeOf = (p: Place): [number, number, number] => [rounded(p[0]), rounded(p[1]), rounded(p[2])];

export const isBrush = (tool: HandTool | null): boolean =>
  tool === 'smooth' || tool === 'push' || tool === 'flatten' || tool === 'erase' || tool === 'refill';

/**
 * What the pen does on the surface: a small state machine between pointer and surface. It is told places on the surface and
 * asks the client for strokes and edits.
 */
export class HandDesk extends Store<HandSettings> {
  private stroke: { taking: boolean; dabs: Dab[] } | null = null;

  constructor(private readonly client: Pick<HandClient, 'ask' | 'clearReached'>) {
    super(FIRST);
  }

  /** Chooses a tool, or none. */
  choose(tool: HandTool | null): void {
    this.give();
    this.put({ ...this.state, tool });
  }

  /** A first brush for a surface of such an extent, mm, unless one was chosen: a thirtieth of it. */
  fit(size: number): void {
    if (this.state.radius === 0) this.set({ radius: Number(Math.max(0.2, size / 30).toPrecision(1)) });
  }

  set(change: Partial<Omit<HandSettings, 'tool' | 'from'>>): void {
    this.put({ ...this.state, ...change });
  }

  /** The brush larger or smaller. */
  grow(factor: number): void {
    this.set({ radius: Math.max(0.05, Number((this.state.radius * factor).toPrecision(2))) });
  }

  /** The pen comes down on the surface. */
  press(at: Place, pressure = 1): void {
    const { tool } = this.state;
    if (!isBrush(tool)) return;
    const taking = tool === 'erase' || tool === 'refill';
    this.stroke = { taking, dabs: [] };
    if (!taking) this.client.ask({ ask: 'begin', manner: this.manner() });
    this.dab(at, pressure);
  }

  /** The pen moves on over the surface. @returns true if it went far enough for another dab */
  draw(at: Place, pressure = 1): boolean {
    const last = this.stroke?.dabs.at(-1);
    if (!last || Math.hypot(at[0] - last[0], at[1] - last[1], at[2] - last[2]) < DAB_STEP * this.state.radius)
      return false;
    // A stroke without end becomes several.
    if (this.stroke!.dabs.length >= MOST_DABS) {
      this.release();
      this.press(at, pressure);
    } else this.dab(at, pressure);
    return true;
  }

  /** The pen leaves the surface: what was drawn is an edit. */
  release(): void {
    const { stroke } = this;
    this.stroke = null;
    if (!stroke) return;
    if (!stroke.taking) return this.client.ask({ ask: 'end' });
    const { tool } = this.state;
    this.client.clearReached();
    if (tool === 'erase' || tool === 'refill') this.client.ask({ ask: 'do', edit: { kind: tool, dabs: stroke.dabs } });
  }

  /** A click on the surface: fills the hole there, begins or ends a bridge, cuts level. */
  click(at: Place): void {
    const { tool, from, shape } = this.state;
    if (tool === 'fill') this.client.ask({ ask: 'do', edit: { kind: 'fill', at: placeOf(at), shape } });
    else if (tool === 'bridge' && from) this.bridge(from, at);
    else if (tool === 'bridge') this.put({ ...this.state, from: placeOf(at) });
    else if (tool === 'cut' && this.state.cutAlong === 'level') this.cut(at, [0, 0, 1]);
  }

  bridge(from: Place, to: Place): void {
    const { width } = this.state;
    this.put({ ...this.state, from: null });
    this.client.ask({ ask: 'do', edit: { kind: 'bridge', from: placeOf(from), to: placeOf(to), width } });
  }

  /** Cuts along a plane; which side stays follows from the settings. */
  cut(at: Place, normal: Place): void {
    const { keep, cap } = this.state;
    const l = Math.hypot(...normal);
    if (!(l > 0)) return;
    this.client.ask({
      ask: 'cut',
      cut: { kind: 'cut', at: placeOf(at), normal: [normal[0] / l, normal[1] / l, normal[2] / l], keep, cap },
    });
  }

  /** What was drawn round: pixels of a picture, x and y in turn. */
  lasso(outline: readonly number[], { clipFromView, width, height }: ScreenView, eye: Place): void {
    const { through, refill } = this.state;
    const places = outline.length / 2;
    const step = Math.ceil(places / MOST_OUTLINE);
    const kept = outline.filter((_, i) => Math.floor(i / 2) % step === 0).map((c) => Math.round(c));
    if (kept.length < 6) return;
    const edit = {
      kind: 'lasso',
      outline: kept,
      clipFromView: Array.from(clipFromView),
      size: [width, height],
      eye: placeOf(eye),
    } as const;
    this.client.ask({ ask: 'do', edit: { ...edit, through, refill } });
  }

  /** Gives up what is being drawn; with nothing begun, the tool. @returns false if there is none */
  cancel(): boolean {
    if (!this.state.tool) return false;
    if (this.stroke || this.state.from) this.give();
    else this.put({ ...this.state, tool: null });
    return true;
  }

  private give(): void {
    if (this.stroke && !this.stroke.taking) this.client.ask({ ask: 'end' });
    this.stroke = null;
    this.client.clearReached();
    if (this.state.from) this.put({ ...this.state, from: null });
  }

  private dab(at: Place, pressure: number): void {
    const dab: Dab = [...placeOf(at), this.state.radius, rounded(Math.max(0.05, Math.min(1, pressure)))];
    this.stroke!.dabs.push(dab);
    this.client.ask(this.stroke!.taking ? { ask: 'reach', dab } : { ask: 'dab', dab });
  }

  private manner(): BrushManner {
    const { tool, strength, by, keepEdges, withinError } = this.state;
    if (tool === 'push') return { kind: 'push', amount: by };
    if (tool === 'flatten') return { kind: 'flatten', amount: strength, withinError };
    return { kind: 'smooth', amount: strength, keepEdges, withinError };
  }
}

export const handDesk = new HandDesk(handClient);
