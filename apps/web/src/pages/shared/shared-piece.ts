import type { ArtifactView, PieceView, SharedPage } from '@amber-knit/contracts';
import { sharedArtifact } from '../../api/artifact-url';
import type { ColorMode } from '../../app/view-slice';
import type { ToolbarOffer } from '../../view/view-toolbar';

const SURENESS: readonly ColorMode[] = ['invented', 'scans', 'error'];

/** What the toolbar of a shared view offers. */
export const offerOf = ({ looks, measuring }: SharedPage): ToolbarOffer => ({
  colors: [...(looks.includes('shape') ? ['shape' as const] : []), ...(looks.includes('sureness') ? SURENESS : [])],
  wireframe: looks.includes('wireframe'),
  section: looks.includes('section'),
  measuring,
});

/** The piece as the 3D view knows it, of a shared view: surfaces without anything they came from. */
export function pieceOf(token: string, { title, surfaces, triangles }: SharedPage): PieceView {
  const artifact = (kind: 'mesh' | 'model' | 'light'): ArtifactView | null =>
    surfaces.includes(kind)
      ? { id: sharedArtifact(token, kind), kind, bytes: 0, facts: kind === 'light' ? {} : { triangles }, stepId: null }
      : null;
  return {
    id: '',
    name: title,
    note: '',
    scans: 0,
    points: 0,
    stage: 'deliver',
    triangles,
    watertight: null,
    updatedAt: '',
    picture: null,
    running: null,
    owner: null,
    scanList: [],
    setups: [],
    plan: null,
    placements: null,
    doubts: [],
    mesh: artifact('mesh'),
    surface: null,
    model: artifact('model'),
    light: artifact('light'),
    dimensions: null,
    dimensionsFresh: true,
    trust: null,
    deviation: null,
    surroundings: null,
    placings: null,
    placingsFresh: true,
    stages: [],
    canUndo: false,
    canRedo: false,
    lastStep: null,
  };
}
