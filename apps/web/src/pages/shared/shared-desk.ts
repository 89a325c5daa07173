import type { Dimension, DimensionSheet, MeasuredDimension } from '@amber-knit/core/dimensions';
import { artifactUrl, sharedArtifact } from '../../api/artifact-url';
import { Store } from '../../shared/store';

export interface SharedDeskState {
  /** Dimensions and notes that could be measured. */
  rows: { asked: Dimension; found: MeasuredDimension }[];
  selected: number | null;
}

/** Dimensions and notes of a shared view, and which of them is looked at. */
export class SharedDesk extends Store<SharedDeskState> {
  constructor() {
    super({ rows: [], selected: null });
  }

  /** Without them the view is still worth looking at: what can't be had is left out. */
  async load(token: string): Promise<void> {
    try {
      const response = await fetch(artifactUrl(sharedArtifact(token, 'dimensions')));
      if (!response.ok) return;
      const { asked, found } = (await response.json()) as DimensionSheet;
      const rows = asked.map((a, i) => ({ asked: a, found: found[i] })).filter((row) => !row.found.fault);
      this.put({ ...this.state, rows });
    } catch {
      // The connection was lost: see above.
    }
  }

  select(selected: number | null): void {
    this.put({ ...this.state, selected });
  }
}
