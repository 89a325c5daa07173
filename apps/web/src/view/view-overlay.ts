import { useEffect, useRef, type ComponentType, type KeyboardEvent, type PointerEvent } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import type { Shown } from '../app/stages';
import type { ViewEngine } from './view-engine';

/** What an overlay may hear of pointer and keys over the view. All are told; a key goes to the first that takes it. */
export interface ViewInput {
  onPointerDown?(e: PointerEvent): void;
  onPointerMove?(e: PointerEvent): void;
  onPointerUp?(e: PointerEvent): void;
  /** @returns true if the key was meant for it */
  onKey?(e: KeyboardEvent): boolean;
  /** Gives up what was begun: Escape, or the pointer was taken away. */
  cancel?(): void;
}

/** Takes in what overlays want to hear. */
export class ViewInputs {
  private readonly all = new Set<{ readonly current: ViewInput }>();

  add(input: { readonly current: ViewInput }): () => void {
    this.all.add(input);
    return () => this.all.delete(input);
  }

  tell(what: 'onPointerDown' | 'onPointerMove' | 'onPointerUp', e: PointerEvent): void {
    for (const { current } of this.all) current[what]?.(e);
  }

  key(e: KeyboardEvent): boolean {
    for (const { current } of this.all) if (current.onKey?.(e)) return true;
    return false;
  }

  cancel(): void {
    for (const { current } of this.all) current.cancel?.();
  }
}

/** What the view hands to whatever a stage lays over it. */
export interface OverlayProps {
  piece: PieceView;
  shown: Shown;
  engine: ViewEngine;
  inputs: ViewInputs;
  /** What is shown along the axis of the section, or along Z, from and to, mm. */
  extent: readonly [number, number];
}

/** Something that a stage lays over the view: it draws there, hears the pointer, and tells the engine what to show. */
export type ViewOverlay = ComponentType<OverlayProps>;

/** Hears pointer and keys over the view for as long as the overlay is there. */
export function useViewInput(inputs: ViewInputs, input: ViewInput): void {
  const latest = useRef(input);
  useEffect(() => {
    latest.current = input;
  });
  useEffect(() => inputs.add(latest), [inputs]);
}
