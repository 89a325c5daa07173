import type { BakedKind } from '@amber-knit/core/geometry';
import { createSlice, type PayloadAction } from '@reduxjs/toolkit';

export type ColorMode = 'scan' | 'true' | 'height' | 'shape' | 'invented' | 'error' | 'scans';

/** A slab of the piece: only what lies in it is drawn. */
export interface Section {
  axis: 'x' | 'y' | 'z';
  /** Its middle along the axis, as a share of what is shown, and its thickness, mm. */
  at: number;
  thickness: number;
}
/** Tools that select points: drawn in the view, or by a click. */
export const SELECT_TOOLS = ['lasso', 'rectangle', 'brush', 'ball', 'piece', 'color', 'normal', 'plane'] as const;
export type SelectTool = (typeof SELECT_TOOLS)[number];
export type Tool = 'turn' | 'measure' | SelectTool;

export const isSelectTool = (tool: Tool): tool is SelectTool => (SELECT_TOOLS as readonly string[]).includes(tool);

/** How the 3D view shows things; ids and settings only, buffers live in the view. */
export interface ViewSettings {
  color: ColorMode;
  lit: boolean;
  wireframe: boolean;
  /** Shades the edges of what points show, so that shape is to be seen. */
  edges: boolean;
  /** Shows the light model in place of the whole surface, where there is one. */
  light: boolean;
  /** Of the light model one map alone; null shows it as it looks. */
  map: BakedKind | null;
  section: Section | null;
  tool: Tool;
  hidden: string[];
  isolated: string | null;
  /** A scan that comes alone and faintly: something of it is shown apart. */
  alone: string | null;
  /** Scans shown where they might belong; not where they are. */
  tried: TriedPlace | null;
  /** What is shown to the left of a divider, to be compared with the piece as it is shown. */
  compared: Compared | null;
  /** A place the view was sent to, and how much around it is to be seen, mm. */
  lookedAt: {
    place: [number, number, number];
    size: number;
    /** The side to look from; as now if it is left away. */
    from?: [number, number, number];
  } | null;
}

/** Names of scans, and the motion that takes them to the place to be tried: 16 numbers, column by column. */
export interface TriedPlace {
  scans: string[];
  pieceFromPiece: number[];
}

/** A version of a piece, the piece without the place that is tried, or the whole surface beside the light model. */
export type Compared = { pieceId: string; version: string; title: string } | 'untried' | 'whole';

const initialState: ViewSettings = {
  color: 'true',
  lit: true,
  wireframe: false,
  edges: true,
  light: false,
  map: null,
  section: null,
  tool: 'turn',
  hidden: [],
  isolated: null,
  alone: null,
  tried: null,
  compared: null,
  lookedAt: null,
};

const slice = createSlice({
  name: 'view',
  initialState,
  reducers: {
    colorChosen: (s, a: PayloadAction<ColorMode>) => void (s.color = a.payload),
    litToggled: (s) => void (s.lit = !s.lit),
    wireframeToggled: (s) => void (s.wireframe = !s.wireframe),
    edgesToggled: (s) => void (s.edges = !s.edges),
    lightShown: (s, a: PayloadAction<boolean>) => {
      s.light = a.payload;
      if (!a.payload) s.map = null;
      if (!a.payload && s.compared === 'whole') s.compared = null;
    },
    mapShown: (s, a: PayloadAction<BakedKind | null>) => void (s.map = a.payload),
    sectionSet: (s, a: PayloadAction<Section | null>) => void (s.section = a.payload),
    toolChosen: (s, a: PayloadAction<Tool>) => void (s.tool = a.payload),
    scanHidden: (s, a: PayloadAction<string>) => {
      s.hidden = s.hidden.includes(a.payload) ? s.hidden.filter((x) => x !== a.payload) : [...s.hidden, a.payload];
    },
    placeLookedAt: (s, a: PayloadAction<NonNullable<ViewSettings['lookedAt']>>) => void (s.lookedAt = a.payload),
    shownAlone: (s, a: PayloadAction<string | null>) => void (s.alone = a.payload),
    placeTried: (s, a: PayloadAction<TriedPlace | null>) => {
      s.tried = a.payload;
      if (!a.payload && s.compared === 'untried') s.compared = null;
    },
    comparedWith: (s, a: PayloadAction<Compared | null>) => void (s.compared = a.payload),
    scanIsolated: (s, a: PayloadAction<string>) => void (s.isolated = s.isolated === a.payload ? null : a.payload),
  },
});

export const {
  colorChosen,
  litToggled,
  wireframeToggled,
  edgesToggled,
  lightShown,
  mapShown,
  sectionSet,
  toolChosen,
  scanHidden,
  scanIsolated,
  shownAlone,
  placeTried,
  comparedWith,
  placeLookedAt,
} = slice.actions;
export const viewReducer = slice.reducer;
