import { useCallback, useEffect, useRef, useState, type PointerEvent } from 'react';
import type { SelectionJoin } from '@amber-knit/core/selection';
import { useAppSelector } from '../app/store';
import type { SelectSettings } from '../app/select-slice';
import { isSelectTool, type SelectTool } from '../app/view-slice';
import type { ViewEngine } from '../view/view-engine';
import { selectionClient } from './selection-client';
import type { Selector } from './selection-messages';

/** What is being drawn in the view: places in pixels, x and y in turn. */
export interface Drawing {
  tool: SelectTool;
  path: number[];
}

/** Places of a ball along its way lie at least this far apart, in radii. */
const BALL_STEP = 0.35;

/** Turns pointer movements over the view into selectors, while a selecting tool is chosen. */
export function useSelectGesture(engine: ViewEngine): {
  drawing: Drawing | null;
  onPointerDown(e: PointerEvent): void;
  onPointerMove(e: PointerEvent): void;
  onPointerUp(e: PointerEvent): void;
  /** Clicks at the middle of the view: the way to select by keyboard. @returns false if no such tool is chosen */
  clickMiddle(): boolean;
  cancel(): void;
} {
  const tool = useAppSelector((s) => s.view.tool);
  const settings = useAppSelector((s) => s.select);
  const [drawing, setDrawing] = useState<Drawing | null>(null);
  const path = useRef<number[]>([]);
  const balls = useRef<number[]>([]);
  const active = isSelectTool(tool);

  useEffect(() => {
    engine.setDrawing(active);
  }, [active, engine]);

  const cancel = useCallback(() => {
    path.current = [];
    balls.current = [];
    setDrawing(null);
  }, []);

  const addBall = (e: { clientX: number; clientY: number }): void => {
    const at = engine.pick(e.clientX, e.clientY);
    if (!at) return;
    const last = balls.current.slice(-3);
    const moved =
      last.length < 3 || Math.hypot(...last.map((v, k) => v - at.point[k])) > BALL_STEP * ballRadius(settings);
    if (moved) balls.current.push(...at.point);
  };

  const finish = (join: SelectionJoin): void => {
    const made = selectorOf(tool as SelectTool, path.current, balls.current, settings, engine.screenView());
    cancel();
    if (made) selectionClient.select(made, join);
  };

  return {
    drawing,
    cancel,
    onPointerDown(e) {
      if (!active || e.button !== 0 || !e.isPrimary) return;
      (e.target as Element).setPointerCapture(e.pointerId);
      path.current = placeOf(e);
      balls.current = [];
      if (tool === 'ball') addBall(e);
      setDrawing({ tool, path: path.current });
    },
    onPointerMove(e) {
      if (!drawing || !active) return;
      if (!e.isPrimary || (e.buttons & 1) === 0) return;
      const [x, y] = placeOf(e);
      path.current = tool === 'rectangle' ? [...path.current.slice(0, 2), x, y] : [...path.current, x, y];
      if (tool === 'ball') addBall(e);
      setDrawing({ tool, path: path.current });
    },
    onPointerUp(e) {
      if (!drawing || e.button !== 0) return;
      finish(joinOf(e, settings.join));
    },
    clickMiddle() {
      const seen = engine.screenView().view;
      if (!active || !seen) return false;
      path.current = [seen.width / 2, seen.height / 2];
      const made = selectorOf(tool, path.current, [], settings, engine.screenView());
      cancel();
      if (made) selectionClient.select(made, settings.join);
      return made !== null;
    },
  };
}

/** Radius of the ball that is meant, mm: what was set, else a twentieth of the piece. */
export function ballRadius({ ball }: SelectSettings): number {
  if (ball > 0) return ball;
  const { box } = selectionClient.current();
  return box ? Math.hypot(...box.max.map((v, k) => v - box.min[k])) / 40 : 5;
}

function placeOf(e: PointerEvent): number[] {
  const rect = (e.target as Element).getBoundingClientRect();
  return [e.clientX - rect.left, e.clientY - rect.top];
}

/** Shift adds, Alt takes away, both keep what is in both. */
function joinOf(e: { shiftKey: boolean; altKey: boolean }, chosen: SelectionJoin): SelectionJoin {
  if (e.shiftKey && e.altKey) return 'intersect';
  return e.shiftKey ? 'add' : e.altKey ? 'subtract' : chosen;
}

/** The selector that a drawing means; null if it means nothing yet. */
export function selectorOf(
  tool: SelectTool,
  path: number[],
  balls: number[],
  settings: SelectSettings,
  { view, eye }: ReturnType<ViewEngine['screenView']>,
): Selector | null {
  const { visibleOnly, connected } = settings;
  const at: [number, number] = [path[path.length - 2], path[path.length - 1]];
  if (tool === 'lasso') {
    return path.length < 6 ? null : { kind: 'region', shape: 'lasso', path, radius: 0, view, visibleOnly };
  }
  if (tool === 'rectangle') {
    if (path.length < 4) return null;
    const [x0, y0, x1, y1] = path;
    return { kind: 'region', shape: 'lasso', path: [x0, y0, x1, y0, x1, y1, x0, y1], radius: 0, view, visibleOnly };
  }
  if (tool === 'brush') return { kind: 'region', shape: 'brush', path, radius: settings.brush, view, visibleOnly };
  if (tool === 'ball') {
    return balls.length === 0 ? null : { kind: 'ball', places: balls, radius: ballRadius(settings) };
  }
  if (tool === 'piece') return { kind: 'piece', at, view };
  if (tool === 'color') return { kind: 'color', at, view, tolerance: settings.colorTolerance, connected };
  if (tool === 'normal') return { kind: 'normal', at, view, maxAngleDeg: settings.maxAngleDeg, connected };
  return { kind: 'plane', at, view, eye, side: settings.planeSide, distance: settings.planeDistance };
}
