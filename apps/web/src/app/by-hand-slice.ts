import { createSlice, type PayloadAction } from '@reduxjs/toolkit';

/** A place picked in the scan that is moved, and the same place in a scan that stays; mm, in each scan's own frame. */
export interface PickedPlaces {
  from?: [number, number, number];
  onto?: { scan: string; point: [number, number, number] };
}

/** How a scan is held while it is moved: shifted, turned, turned in the picture. */
export type Grip = 'move' | 'turn' | 'roll';

/** Placing one scan by hand: which, onto what, and the places picked so far. */
export interface ByHandState {
  /** Id of the scan that is moved; null while nothing is placed by hand. */
  moving: string | null;
  /** Id of the scan that is picked on; `placed` for all that have a place. */
  onto: string;
  /** By picking the same places, or by moving it into place. */
  by: 'picking' | 'moving';
  pairs: PickedPlaces[];
  /** Both views turn together. */
  linked: boolean;
  grip: Grip;
  /** It snaps onto the scans that stay. */
  snap: boolean;
  /** Where it has been moved to: piece from scan, column by column; null before. */
  pose: number[] | null;
  /** What of it lies on the others there, 0–1, and how closely, mm; null where it has not snapped. */
  snapped: { overlap: number; rms: number } | null;
  refine: boolean;
}

const initialState: ByHandState = {
  moving: null,
  onto: 'placed',
  by: 'picking',
  pairs: [],
  linked: true,
  grip: 'move',
  snap: true,
  pose: null,
  snapped: null,
  refine: true,
};

const slice = createSlice({
  name: 'byHand',
  initialState,
  reducers: {
    /** Begins anew with a scan, or ends. */
    byHandBegun: (s, a: PayloadAction<{ moving: string; onto: string } | null>) => ({
      ...initialState,
      refine: s.refine,
      by: s.by,
      snap: s.snap,
      linked: s.linked,
      ...(a.payload ?? {}),
    }),
    /** A place completes the first pair that lacks it, or begins a new one. */
    placePicked: (s, a: PayloadAction<PickedPlaces>) => {
      const { from, onto } = a.payload;
      const open = s.pairs.find((p) => (from ? !p.from : !p.onto));
      if (open) Object.assign(open, from ? { from } : { onto });
      else s.pairs.push(a.payload);
    },
    pairRemoved: (s, a: PayloadAction<number>) => void s.pairs.splice(a.payload, 1),
    /** The moved scan has become so much larger, and the places picked in it with it. */
    picksScaled: (s, a: PayloadAction<number>) => {
      for (const p of s.pairs) if (p.from) p.from = p.from.map((v) => v * a.payload) as [number, number, number];
    },
    methodChosen: (s, a: PayloadAction<ByHandState['by']>) => void (s.by = a.payload),
    linkToggled: (s) => void (s.linked = !s.linked),
    gripChosen: (s, a: PayloadAction<Grip>) => void (s.grip = a.payload),
    snapToggled: (s) => void (s.snap = !s.snap),
    /** The scan was let go somewhere; null puts it back to where it began. */
    scanMoved: (s, a: PayloadAction<{ pose: number[]; snapped: ByHandState['snapped'] } | null>) =>
      void Object.assign(s, a.payload ?? { pose: null, snapped: null }),
    refineToggled: (s) => void (s.refine = !s.refine),
  },
});

export const {
  byHandBegun,
  placePicked,
  pairRemoved,
  picksScaled,
  methodChosen,
  linkToggled,
  gripChosen,
  snapToggled,
  scanMoved,
  refineToggled,
} = slice.actions;
export const byHandReducer = slice.reducer;
