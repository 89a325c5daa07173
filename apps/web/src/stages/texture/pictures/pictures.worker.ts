import { NO_PICTURE, triangleNormal, type PictureName } from '@amber-knit/core/geometry';
import { PictureSource } from '@amber-knit/core/retouching';
import { wordsOf } from '../../../shared/hand/serve-work';
import { streamSurface, type SurfaceParts } from '../../../view/surface-parts';
import { PictureFrames, type PictureScan } from '../picture-frames';
import type { FromPictures, PictureOfPlace, ToPictures } from './pictures-messages';

// Tells which picture coloured what, and which pictures show a place.

/** So many pictures of a place are shown. */
const MOST_SHOWN = 6;
/** A picture is shown around the place so far, pixels to each side. */
const AROUND = 40;

const post = (m: FromPictures, transfer: Transferable[] = []): void =>
  (self as unknown as Worker).postMessage(m, transfer);
const frames = new PictureFrames();
let scans: readonly PictureScan[] = [];
let model: SurfaceParts | undefined;
/** Only the newest place is answered. */
let asked = 0;

async function open(modelId: string): Promise<void> {
  const parts = await streamSurface(modelId, new AbortController().signal, () => undefined);
  model = parts;
  const { positions, indices, coloredBy, pictures = [] } = parts;
  const areas = new Float64Array(pictures.length);
  let all = 0;
  const normal = new Float64Array(3);
  for (let t = 0; t < indices.length; t += 3) {
    const third = triangleNormal(positions, indices[t], indices[t + 1], indices[t + 2], normal) / 6;
    for (let k = 0; k < 3; k++) {
      const picture = coloredBy?.[indices[t + k]] ?? NO_PICTURE;
      if (picture !== NO_PICTURE) areas[picture] += third;
      all += third;
    }
  }
  const shares = pictures.map((p, i) => ({ ...p, share: areas[i] / (all || 1) }));
  post({ tell: 'opened', modelId, pictures: shares, around: 1 - shares.reduce((s, p) => s + p.share, 0) });
}

async function lookAt(point: readonly [number, number, number]): Promise<void> {
  const mine = ++asked;
  if (!model) return;
  const v = nearestVertex(model.positions, point);
  const own = model.coloredBy?.[v];
  const first = own === undefined || own === NO_PICTURE ? undefined : model.pictures?.[own];
  const n = model.normals ? model.normals.subarray(3 * v, 3 * v + 3) : Float32Array.of(0, 0, 0);
  const seeing: (Omit<PictureOfPlace, 'part'> & { source: PictureSource; pixel: Float64Array })[] = [];
  for (const scan of scans) {
    for (const frame of await frames.of(scan)) {
      if (mine !== asked) return;
      const source = new PictureSource(frame, Float64Array.from(scan.pieceFromScan));
      const pixel = new Float64Array(2);
      const isOwn = isSame({ scan: scan.name, frame: frame.name }, first);
      if (!source.pixelOf(point[0], point[1], point[2], pixel, isOwn)) continue;
      const way = source.eye.map((c, k) => c - point[k]);
      const distance = Math.hypot(...way);
      const cosine = (way[0] * n[0] + way[1] * n[1] + way[2] * n[2]) / distance;
      if (cosine <= 0) continue;
      seeing.push({ scan: scan.name, frame: frame.name, angle: Math.acos(cosine), distance, source, pixel });
    }
  }
  // The one that coloured it comes first, then the squarest.
  seeing.sort((a, b) => Number(isSame(b, first)) - Number(isSame(a, first)) || a.angle - b.angle);
  const shown = await Promise.all(
    seeing.slice(0, MOST_SHOWN).map(async ({ source, pixel, ...of }) => ({ ...of, part: await partOf(source, pixel) })),
  );
  if (mine !== asked) return;
  post(
    { tell: 'place', point, own: own === NO_PICTURE ? undefined : own, seeing: shown },
    shown.map((s) => s.part),
  );
}

const isSame = (a: PictureName, b: PictureName | undefined): boolean => a.scan === b?.scan && a.frame === b.frame;

function nearestVertex(p: Float32Array, [x, y, z]: readonly [number, number, number]): number {
  let nearest = 0;
  let least = Infinity;
  for (let i = 0; i < p.length; i += 3) {
    const d = (p[i] - x) ** 2 + (p[i + 1] - y) ** 2 + (p[i + 2] - z) ** 2;
    if (d < least) [least, nearest] = [d, i / 3];
  }
  return nearest;
}

/** The part of a picture around a pixel; beyond the border it is clear. */
function partOf({ image: { width, height, data } }: PictureSource, [u, v]: Float64Array): Promise<ImageBitmap> {
  const size = 2 * AROUND;
  const out = new ImageData(size, size);
  const left = Math.round(u) - AROUND;
  const top = Math.round(v) - AROUND;
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) {
      if (x + left < 0 || y + top < 0 || x + left >= width || y + top >= height) continue;
      const from = 3 * ((y + top) * width + x + left);
      out.data.set([data[from], data[from + 1], data[from + 2], 255], 4 * (y * size + x));
    }
  }
  return createImageBitmap(out);
}

self.onmessage = ({ data }: MessageEvent<ToPictures>): void => {
  if (data.ask === 'open') scans = data.scans;
  (data.ask === 'open' ? open(data.modelId) : lookAt(data.point)).catch((e: unknown) =>
    post({ tell: 'failed', reason: wordsOf(e) }),
  );
};
