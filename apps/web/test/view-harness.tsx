import { act, render } from '@testing-library/react';
import type { KeyboardEvent, PointerEvent } from 'react';
import { Provider } from 'react-redux';
import type { PieceView } from '@amber-knit/contracts';
import type { Shown } from '../src/app/stages';
import { store } from '../src/app/store';
import type { Pick } from '../src/view/view-content';
import type { ViewEngine } from '../src/view/view-engine';
import { ViewInputs, type ViewOverlay } from '../src/view/view-overlay';
import { pieceWith } from './with-server';

/**
 * A 3D view without a picture: overlays and tools are laid over it and driven by pointer and keys. What they tell the engine
 * is written down, by the name of the method.
 */
export class ViewHarness {
  readonly told: [string, ...unknown[]][] = [];
  /** What lies under the pointer. */
  pick: (x: number, y: number) => Pick | undefined = () => undefined;
  private readonly inputs = new ViewInputs();
  private readonly canvas = document.createElement('canvas');
  private readonly engine: ViewEngine;
  private readonly shownOverlay: ReturnType<typeof render>;

  constructor(
    private readonly Overlay: ViewOverlay,
    private readonly piece: PieceView = pieceWith({}),
    private readonly shown: Shown = 'scans',
  ) {
    this.canvas.setPointerCapture = () => undefined;
    const answers: Record<string, (...a: never[]) => unknown> = {
      pick: (x: number, y: number) => this.pick(x, y),
      screenView: () => ({ view: { clipFromView: new Float64Array(16), width: 800, height: 600 }, eye: [0, 0, 500] }),
      project: () => ({ x: 0, y: 0 }),
      axesAt: () => ({ right: [1, 0, 0], up: [0, 0, 1], toEye: [0, -1, 0], mmPerPixel: 0.2 }),
    };
    this.engine = new Proxy({} as ViewEngine, {
      get: (_, name: string) => answers[name] ?? ((...given: unknown[]) => void this.told.push([name, ...given])),
      set: () => true,
    });
    this.shownOverlay = render(this.element());
  }

  private element() {
    const { Overlay, piece, shown, engine, inputs } = this;
    return (
      <Provider store={store}>
        <Overlay piece={piece} shown={shown} engine={engine} inputs={inputs} extent={[0, 100]} />
      </Provider>
    );
  }

  get text(): string {
    return this.shownOverlay.container.textContent ?? '';
  }

  get container(): HTMLElement {
    return this.shownOverlay.container;
  }

  /** What the engine was told last by a method. */
  last(name: string): unknown[] | undefined {
    return this.told.findLast(([n]) => n === name)?.slice(1);
  }

  press(x: number, y: number, keys: Partial<PointerEvent> = {}): void {
    this.tell('onPointerDown', x, y, keys);
  }

  move(x: number, y: number): void {
    this.tell('onPointerMove', x, y, { buttons: 1 });
  }

  release(x: number, y: number, keys: Partial<PointerEvent> = {}): void {
    this.tell('onPointerUp', x, y, keys);
  }

  click(x: number, y: number): void {
    this.press(x, y);
    this.release(x, y);
  }

  /** @returns whether somebody took the key */
  key(key: string): boolean {
    let taken = false;
    act(() => {
      if (key === 'Escape') this.inputs.cancel();
      else taken = this.inputs.key({ key } as KeyboardEvent);
    });
    return taken;
  }

  leave(): void {
    this.shownOverlay.unmount();
  }

  private tell(what: 'onPointerDown' | 'onPointerMove' | 'onPointerUp', x: number, y: number, more: object): void {
    const e = { clientX: x, clientY: y, button: 0, buttons: 0, isPrimary: true, pointerId: 1, target: this.canvas };
    act(() => this.inputs.tell(what, { ...e, ...more } as unknown as PointerEvent));
  }
}
