import { createSlice, type PayloadAction } from '@reduxjs/toolkit';
import type { SelectionJoin } from '@amber-knit/core/selection';

/** Which side of a plane is meant: on it (within a distance), nearer to the eye, or beyond. */
export type PlaneSide = 'on' | 'front' | 'behind';

/** A box along the axes, mm; corners with the least and the greatest coordinates. */
export interface CropBox {
  min: [number, number, number];
  max: [number, number, number];
}

/** How points are selected: settings of the tools only. */
export interface SelectSettings {
  join: SelectionJoin;
  /** Lasso, rectangle and brush take only what the view shows, not what lies behind. */
  visibleOnly: boolean;
  /** Radius of the brush, pixels. */
  brush: number;
  /** Radius of the ball, mm; 0 follows the size of the piece. */
  ball: number;
  /** Largest difference of colours, ΔE. */
  colorTolerance: number;
  maxAngleDeg: number;
  /** Colour and direction spread only to what hangs together with the point. */
  connected: boolean;
  planeSide: PlaneSide;
  /** Distance from the plane, mm. */
  planeDistance: number;
  /** The box to select by, while it is shown. */
  box: CropBox | null;
}

const initialState: SelectSettings = {
  join: 'replace',
  visibleOnly: false,
  brush: 24,
  ball: 0,
  colorTolerance: 12,
  maxAngleDeg: 15,
  connected: true,
  planeSide: 'on',
  planeDistance: 1,
  box: null,
};

const slice = createSlice({
  name: 'select',
  initialState,
  reducers: {
    selectingChanged: (s, a: PayloadAction<Partial<SelectSettings>>) => void Object.assign(s, a.payload),
    boxChanged: (s, a: PayloadAction<CropBox | null>) => void (s.box = a.payload),
  },
});

export const { selectingChanged, boxChanged } = slice.actions;
export const selectReducer = slice.reducer;
