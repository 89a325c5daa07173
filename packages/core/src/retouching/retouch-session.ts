import type { Dab } from '../geometry/dab.js';
import type { TexturedMesh } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { pad, paddingOf } from '../unwrapping/index.js';
import type { PictureFinder } from './picture-source.js';
import { TexelReach } from './texel-reach.js';
import { TouchStrokeWork } from './touch-stroke.js';
import type { Touch, TouchManner } from './touch.js';

/** Texels that charts are padded by. */
const PADDED = 8;

interface Done {
  touch: Touch;
  texels: Uint32Array;
  before: Uint8Array;
}

/**
 * Work by hand on a surface's map: strokes one after the other, each of which can be taken back. The same strokes on the same map
 * always give the same result, dab by dab in a worker or all at once in a step. The model given stays as it is.
 */
export class RetouchSession {
  /** As it stands now; its map changes with every dab. */
  readonly model: TexturedMesh;
  private readonly reach: TexelReach;
  private readonly slot: Int32Array;
  private stroke?: { manner: TouchManner; dabs: Dab[]; work: TouchStrokeWork };
  private readonly done: Done[] = [];
  private undone: Touch[] = [];

  /** @param pictures finds a picture by its name, for strokes that take their colours from one */
  constructor(
    model: TexturedMesh,
    private readonly pictures: PictureFinder = () => undefined,
  ) {
    const { texture } = model;
    if (texture.width !== texture.height)
      throw new GeometryError('invalid-parameter', 'Only square maps can be worked on. Colour the surface anew.');
    this.model = { ...model, texture: { ...texture, data: texture.data.slice() } };
    this.reach = new TexelReach(this.model);
    this.slot = new Int32Array(texture.width * texture.height).fill(-1);
  }

  get touches(): readonly Touch[] {
    return this.done.map((d) => d.touch);
  }

  /** Texels that one of the strokes has reached. */
  texelsOf(touch: number): ArrayLike<number> {
    return this.done[touch].texels;
  }

  get canRedo(): boolean {
    return this.undone.length > 0;
  }

  /** Does a stroke. @returns the texels that it changed @throws GeometryError `invalid-parameter` if it means nothing here */
  do(touch: Touch): ArrayLike<number> {
    const { dabs, ...manner } = touch;
    this.begin(manner);
    for (const dab of dabs) this.dab(dab);
    this.end();
    return this.done.at(-1)!.texels;
  }

  /** Begins a stroke, which goes on dab by dab. @throws GeometryError `invalid-parameter` if its picture is not there */
  begin(manner: TouchManner): void {
    const picture = manner.kind === 'picture' ? this.pictures(manner.scan, manner.frame) : undefined;
    if (manner.kind === 'picture' && !picture)
      throw new GeometryError(
        'invalid-parameter',
        `There is no picture ${manner.frame} of a registered scan ${manner.scan}.`,
      );
    this.stroke = {
      manner,
      dabs: [],
      work: new TouchStrokeWork(this.model, this.reach, this.slot, manner, picture),
    };
  }

  /** Goes on with the stroke. @returns texels that it reached, valid until the next dab */
  dab(dab: Dab): ArrayLike<number> {
    if (!this.stroke) return [];
    this.stroke.dabs.push(dab);
    return this.reach.texel.subarray(0, this.stroke.work.dab(dab));
  }

  /**
   * Ends the stroke: it is a touch now. @returns texels that ending it changed
   * @throws GeometryError `invalid-parameter` if it changed nothing: then it is forgotten
   */
  end(): ArrayLike<number> {
    const { stroke } = this;
    this.stroke = undefined;
    if (!stroke) return [];
    const changed = stroke.work.end();
    const { touched, before } = stroke.work;
    if (!stroke.work.changed)
      throw new GeometryError(
        'invalid-parameter',
        'Nothing was changed: there is no surface under the brush, or none where it takes its colours from.',
      );
    this.done.push({
      touch: { ...stroke.manner, dabs: stroke.dabs } as Touch,
      texels: Uint32Array.from(touched),
      before: Uint8Array.from(before),
    });
    this.undone = [];
    return changed;
  }

  /** Takes the last stroke back. @returns the texels that this changed; undefined if there is none */
  undo(): ArrayLike<number> | undefined {
    const last = this.done.pop();
    if (!last) return undefined;
    const { data } = this.model.texture;
    last.texels.forEach((texel, i) => {
      for (let k = 0; k < 3; k++) data[3 * texel + k] = last.before[3 * i + k];
    });
    this.undone.push(last.touch);
    return last.texels;
  }

  /** Does again what was taken back last. @returns the texels that this changed; undefined if there is nothing */
  redo(): ArrayLike<number> | undefined {
    const touch = this.undone.pop();
    if (!touch) return undefined;
    const rest = this.undone;
    const changed = this.do(touch);
    this.undone = rest;
    return changed;
  }

  /** The model as it is handed on, its charts padded anew, how many texels were reached and which share of all that is. */
  finish(): { model: TexturedMesh; texels: number; ofAll: number } {
    const { texture } = this.model;
    const filled = new Uint8Array(texture.width * texture.height);
    for (const texel of this.reach.texels.texel) filled[texel] = 1;
    pad(texture.data, 3, paddingOf(filled, texture.width, PADDED));
    const changed = new Set<number>();
    for (const { texels } of this.done) for (const t of texels) changed.add(t);
    return {
      model: this.model,
      texels: changed.size,
      ofAll: changed.size / Math.max(1, this.reach.texels.texel.length),
    };
  }
}
