import * as THREE from 'three';
import { CloudLayer } from './cloud-layer';
import { SurfaceLayer } from './surface-layer';
import type { SurfaceParts } from './surface-parts';
import type { LayerEvents, ViewContent, ViewLook } from './view-content';

/** Points held for drawing: about 16 bytes each, here and on the graphics card. What is beyond stays on the server. */
const MOST_HELD = 16_000_000;

/** A surface that is not stored, under an id of its own. */
export interface DraftSurface {
  id: string;
  parts: SurfaceParts;
}

/** One state of a piece in the view: its scans as points, or its surface in front of them. */
export class ContentLayers {
  readonly group = new THREE.Group();
  readonly clouds: CloudLayer;
  readonly surface: SurfaceLayer;
  private content?: ViewContent;
  private draft?: DraftSurface;

  /**
   * @param onSurface called when a surface has become known
   * @param share part of the points that a view may hold
   */
  constructor(events: LayerEvents, onSurface: () => void, share = 1) {
    this.clouds = new CloudLayer(events, share * MOST_HELD);
    this.surface = new SurfaceLayer({ ...events, extended: onSurface }, () => this.clouds.hide());
    this.group.add(this.clouds.group, this.surface.group);
  }

  /** Shows this content; what is already loaded stays, the rest is streamed in. */
  show(content: ViewContent): void {
    this.content = content;
    this.clouds.show(content.clouds, this.draft !== undefined || content.surface !== undefined);
    if (this.draft) this.surface.showParts(this.draft.id, this.draft.parts);
    else this.surface.show(content.surface);
  }

  /** Shows a surface that is not stored in place of the content; undefined ends that. */
  showDraft(draft: DraftSurface | undefined): void {
    if (draft === this.draft) return;
    this.draft = draft;
    if (this.content) this.show(this.content);
  }

  applyLook(look: ViewLook): void {
    this.clouds.applyLook(look);
    this.surface.applyLook(look);
  }

  box(): THREE.Box3 {
    return this.surface.visible ? this.surface.box() : this.clouds.box();
  }

  dispose(): void {
    this.surface.dispose();
    this.clouds.dispose();
  }
}
