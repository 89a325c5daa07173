import { decodeDeviation, type DeviationMap } from '@amber-knit/core/stored';
import { artifactUrl } from '../../../api/artifact-url';
import { Store } from '../../../shared/store';

export interface ReferenceState {
  /** The comparison that is held, and its artifact. */
  artifact: string | null;
  deviation: DeviationMap | null;
  failed: string | null;
  /** Shown on the surface. */
  shown: boolean;
  /** The bar of the worst places that is looked at. */
  chosen: number | null;
}

const NOTHING: ReferenceState = { artifact: null, deviation: null, failed: null, shown: true, chosen: null };

/** Holds the comparison of the piece with its reference. */
class ReferenceDesk extends Store<ReferenceState> {
  /** Loads what was compared; the same again does nothing. */
  load(artifact: string | undefined): void {
    if ((artifact ?? null) === this.state.artifact) return;
    this.put({ ...NOTHING, shown: this.state.shown, artifact: artifact ?? null });
    if (!artifact) return;
    fetch(artifactUrl(artifact))
      .then(async (response) => {
        if (!response.ok) throw new Error('The comparison could not be loaded. Reload the page.');
        const deviation = decodeDeviation(new Uint8Array(await response.arrayBuffer()));
        if (this.state.artifact === artifact) this.put({ ...this.state, deviation });
      })
      .catch((e: unknown) => {
        if (this.state.artifact === artifact)
          this.put({ ...this.state, failed: e instanceof Error ? e.message : String(e) });
      });
  }

  show(shown: boolean): void {
    this.put({ ...this.state, shown });
  }

  choose(chosen: number | null): void {
    this.put({ ...this.state, chosen });
  }
}

export const referenceDesk = new ReferenceDesk(NOTHING);
