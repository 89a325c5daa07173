import * as THREE from 'three';
import { SurfaceLayer } from './surface-layer';
import type { LayerEvents, Pick } from './view-content';

/** How much of surroundings that are seen through is left. */
const SEEN_THROUGH = 0.35;

/** Another scanned place around the piece: it is shown beside it, and the piece is moved about in it. */
export class AroundLayer {
  private readonly surface: SurfaceLayer;
  private shown = false;

  /** @param piece what is shown of the piece */
  constructor(
    scene: THREE.Scene,
    private readonly piece: THREE.Group,
    private readonly events: LayerEvents,
  ) {
    this.surface = new SurfaceLayer(events, () => undefined, THREE.FrontSide);
    this.surface.applyLook({ color: 'true', lit: true, wireframe: false, edges: false, map: null });
    scene.add(this.surface.group);
    piece.matrixAutoUpdate = false;
  }

  /**
   * Shows a place, and the piece in it; without, the piece alone in its own frame.
   * @param sceneFromPiece how the piece lies there, 16 numbers column by column
   */
  show(artifactId: string | undefined, sceneFromPiece: readonly number[] | null): void {
    if (!artifactId) this.seeThrough(false);
    this.shown = artifactId !== undefined;
    this.surface.show(artifactId);
    if (artifactId && sceneFromPiece) this.piece.matrix.fromArray(sceneFromPiece);
    else this.piece.matrix.identity();
    this.piece.updateMatrixWorld(true);
    this.events.changed();
  }

  /** Lets what lies within the surroundings show through. */
  seeThrough(on: boolean): void {
    this.surface.opacity = on ? SEEN_THROUGH : 1;
    this.events.changed();
  }

  /** The box round the piece where it is now, and round the place with it. */
  boxWith(piece: THREE.Box3): THREE.Box3 {
    if (!this.shown) return piece;
    return piece.applyMatrix4(this.piece.matrix).union(this.surface.box());
  }

  /** A place of the surroundings under a ray. */
  pick(ray: THREE.Raycaster, pixel: number): Pick | undefined {
    return this.shown && this.surface.visible ? this.surface.pick(ray, pixel, () => true) : undefined;
  }

  /**
   * The direction to look at a place from: the wanted one, or the nearest to it from which nothing stands in between.
   * @param distance from the place to the eye
   */
  freeDirection(place: THREE.Vector3, wanted: THREE.Vector3, distance: number): THREE.Vector3 {
    if (!this.shown || !this.surface.visible) return wanted;
    const candidates = [wanted];
    for (const down of [0.35, 0.8, 0.05])
      for (let k = 0; k < 12; k++) {
        const [around, across] = [(k * Math.PI) / 6, Math.cos(down)];
        candidates.push(new THREE.Vector3(across * Math.cos(around), across * Math.sin(around), Math.sin(down)));
      }
    const [, ...others] = candidates;
    const ordered = [wanted, ...others.sort((a, b) => b.dot(wanted) - a.dot(wanted))];
    return ordered.find((d) => !this.isHidden(place, d, distance)) ?? wanted;
  }

  /** Whether the surroundings stand between a place and an eye in this direction. */
  private isHidden(place: THREE.Vector3, direction: THREE.Vector3, distance: number): boolean {
    const eye = place.clone().addScaledVector(direction, distance);
    // Both ways: of a wall that is looked at from behind only its front is there to be met.
    const ways = [
      new THREE.Raycaster(eye, direction.clone().negate(), 0, 0.98 * distance),
      new THREE.Raycaster(place, direction, 0.02 * distance, distance),
    ];
    return ways.some((ray) => {
      ray.firstHitOnly = true;
      return this.surface.pick(ray, 0, () => true) !== undefined;
    });
  }

  dispose(): void {
    this.surface.dispose();
  }
}
