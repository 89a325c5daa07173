import type { PictureName } from '@amber-knit/core/geometry';
import type { PictureWish } from '@amber-knit/core/texture';
import { Store } from '../../../shared/store';
import type { PictureScan } from '../picture-frames';
import { askTheSame, leftOutOrNot, withWish, type AskedPictures } from './asked-pictures';
import type { FromPictures, PictureOfPlace, PictureShare, ToPictures } from './pictures-messages';

export interface PicturesState {
  modelId: string | null;
  /** Painted on the surface. */
  shown: boolean;
  pictures: readonly PictureShare[] | null;
  /** Share of the surface that no picture coloured. */
  around: number;
  /** Number of the picture that is shown alone. */
  chosen: number | null;
  place: {
    point: readonly [number, number, number];
    /** Absent until it is known. */
    found?: { own?: number; seeing: readonly PictureOfPlace[] };
  } | null;
  /** A wish for a place holds so far around it, mm. */
  radius: number;
  /** What the step that made the model asked, and what is asked of the next. */
  before: AskedPictures;
  asked: AskedPictures;
  failed: string | null;
}

const RADIUS = 8;
const NOTHING: PicturesState = {
  modelId: null,
  shown: false,
  pictures: null,
  around: 0,
  chosen: null,
  place: null,
  radius: RADIUS,
  before: [],
  asked: [],
  failed: null,
};

/** Knows which picture coloured what, and what is asked of pictures until the surface is coloured anew. */
export class PicturesClient extends Store<PicturesState> {
  private worker: Worker | null = null;
  private scans: readonly PictureScan[] = [];

  /** @param before what the step that made the model asked of its pictures */
  look(modelId: string, scans: readonly PictureScan[], before: AskedPictures): void {
    this.scans = scans;
    const { shown, radius, asked, before: known } = this.state;
    if (this.state.modelId === modelId) {
      // The step may become known after its model.
      if (!askTheSame(known, before))
        this.put({ ...this.state, before, asked: askTheSame(asked, known) ? before : asked });
      return;
    }
    this.end();
    this.put({ ...NOTHING, modelId, before, asked: before, shown, radius });
    if (shown) this.open();
  }

  clear(): void {
    this.end();
    this.put(NOTHING);
  }

  /** Lets the worker go; what is asked of pictures stays until the surface is coloured anew. */
  rest(): void {
    this.end();
    this.put({ ...this.state, shown: false, pictures: null, chosen: null, place: null });
  }

  show(shown: boolean): void {
    this.put({ ...this.state, shown, chosen: null, place: null });
    if (shown && !this.state.pictures) this.open();
  }

  choose(picture: number): void {
    this.put({ ...this.state, chosen: this.state.chosen === picture ? null : picture });
  }

  lookAt(point: readonly [number, number, number]): void {
    this.put({ ...this.state, place: { point }, failed: null });
    this.tell({ ask: 'place', point });
  }

  setRadius(radius: number): void {
    this.put({ ...this.state, radius });
  }

  /** Asks something of a picture at the place that is looked at. */
  askHere({ scan, frame }: PictureName, how: PictureWish['how']): void {
    const { place, radius, asked } = this.state;
    if (!place) return;
    this.put({ ...this.state, asked: withWish(asked, { scan, frame, how, ball: [...place.point, radius] }) });
  }

  leaveOut(picture: PictureName): void {
    this.put({ ...this.state, asked: leftOutOrNot(this.state.asked, picture) });
  }

  takeBack(wish: PictureWish): void {
    this.put({ ...this.state, asked: this.state.asked.filter((a) => a !== wish) });
  }

  protected startWorker(): Worker {
    return new Worker(new URL('./pictures.worker.ts', import.meta.url), { type: 'module' });
  }

  private open(): void {
    const { modelId } = this.state;
    if (modelId) this.tell({ ask: 'open', modelId, scans: this.scans });
  }

  private tell(m: ToPictures): void {
    if (!this.worker) {
      this.worker = this.startWorker();
      this.worker.onmessage = ({ data }: MessageEvent<FromPictures>) => this.hear(data);
      this.worker.onerror = () =>
        this.put({ ...this.state, failed: 'The pictures could not be looked through. Reload the page.' });
    }
    this.worker.postMessage(m);
  }

  private hear(m: FromPictures): void {
    const { state } = this;
    if (m.tell === 'failed') return this.put({ ...state, failed: m.reason });
    if (m.tell === 'opened') {
      if (m.modelId === state.modelId) this.put({ ...state, pictures: m.pictures, around: m.around });
    } else if (state.place && m.point.every((c, k) => c === state.place!.point[k]))
      this.put({ ...state, place: { point: state.place.point, found: { own: m.own, seeing: m.seeing } } });
  }

  private end(): void {
    this.worker?.terminate();
    this.worker = null;
  }
}

export const picturesClient = new PicturesClient(NOTHING);
