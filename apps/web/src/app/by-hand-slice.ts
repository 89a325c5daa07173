import { createSlice, type PayloadAction } from '@reduxjs/toolkit';

/** A place picked in the scan that is moved, and the same place in a scan that stays; mm, in each scan's own frame. */
export interface PickedPlaces {
  from?: [number, number, number];
  onto?: { scan: string; point: [number, number, number] };
}

/** Placing one scan by hand: which, onto what, and the places picked so far. */
export interface ByHandState {
  /** Id of the scan that is moved; null while nothing is placed by hand. */
  moving: string | null;
  /** Id of the scan that is picked on; `placed` for all that have a place. */
  onto: string;
  pairs: PickedPlaces[];
  refine: boolean;
}

const initialState: ByHandState = { moving: null, onto: 'placed', pairs: [], refine: true };

const slice = createSlice({
  name: 'byHand',
  initialState,
  reducers: {
    /** Begins anew with a scan, or ends. */
    byHandBegun: (s, a: PayloadAction<{ moving: string; onto: string } | null>) => ({
      ...initialState,
      refine: s.refine,
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
    refineToggled: (s) => void (s.refine = !s.refine),
  },
});

export const { byHandBegun, placePicked, pairRemoved, refineToggled } = slice.actions;
export const byHandReducer = slice.reducer;
