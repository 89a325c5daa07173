import { labOfLight, lightOfLab } from '../geometry/cie-lab.js';
import type { Dab } from '../geometry/dab.js';
import { LIGHT_OF_SRGB, quickSrgbOfLight } from '../geometry/srgb.js';
import { colorReader, type ColorReader } from '../geometry/surface-colors.js';
import type { TexturedMesh } from '../geometry/triangle-mesh.js';
import {
  cross3,
  dot3,
  fromAxisAngle,
  frameAbout,
  multiply,
  normalize3,
  rotateVector,
  type Mat4,
  type Vec3,
} from '../math/index.js';
import { BorderBlend } from './border-blend.js';
import type { PictureSource } from './picture-source.js';
import { TangentPatch } from './tangent-patch.js';
import type { TexelReach } from './texel-reach.js';
import type { CopyTouch, TouchManner } from './touch.js';

/** What is blurred is an eighth of the brush wide, what is sharpened two texels; a texel and a half at least. */
const BLUR_SHARE = 1 / 8;
const SHARP_TEXELS = 2;
const LEAST_BLUR = 1.5;
/** How much of the difference to a blurred picture sharpening adds. */
const SHARPENED = 0.8;
/** A patch that is copied reaches so many radii, and the surface may lie so many off where it is looked for. */
const SOURCE_REACH = 1.25;
const SOURCE_WITHIN = 4;
/** A border of a healed place is what the brush covers by less than this. */
const BORDER_COVER = 0.35;

/**
 * One stroke of a brush over a map. Dabs overlap without adding up: each texel goes as far as the dab that covers it most. Dab by
 * dab, always with the same result for the same dabs.
 */
export class TouchStrokeWork {
  /** Texels that it has reached and what each was before, 3 bytes each. */
  readonly touched: number[] = [];
  readonly before: number[] = [];
  /** Some texel has somewhere to go. */
  changed = false;
  private readonly cover: number[] = [];
  /** Light that each goes towards, 3 each; NaN where nothing is known. */
  private readonly target: number[] = [];
  private readonly place: number[] = [];
  private readonly read: ColorReader;
  private readonly rgb = new Float64Array(3);
  private readonly lab = new Float64Array(3);
  private first?: { middle: Vec3; normal: Vec3 };
  private patch?: TangentPatch;
  private blurred?: (a: number, b: number, out: Float64Array) => boolean;

  /**
   * @param slot −1 for each texel of the map; used during the stroke and given back by `end`
   * @param picture of a stroke that takes its colours from one
   */
  constructor(
    private readonly mesh: TexturedMesh,
    private readonly reach: TexelReach,
    private readonly slot: Int32Array,
    private readonly manner: TouchManner,
    private readonly picture?: PictureSource,
  ) {
    // What is copied or blurred is read as it was before the stroke.
    const { texture } = mesh;
    const asBefore = manner.kind === 'copy' || manner.kind === 'soften' || manner.kind === 'sharpen';
    this.read = colorReader(asBefore ? { ...mesh, texture: { ...texture, data: texture.data.slice() } } : mesh);
  }

  /** Goes on with the stroke. @returns how many texels it reached: the first of `reach.texel` */
  dab(dab: Dab): number {
    const { reach, slot, manner } = this;
    const count = reach.find(dab);
    if (count === 0) return 0;
    if (!this.prepare(dab)) {
      reach.count = 0;
      return 0;
    }
    const { data } = this.mesh.texture;
    for (let i = 0; i < count; i++) {
      const texel = reach.texel[i];
      let at = slot[texel];
      if (at < 0) {
        at = slot[texel] = this.touched.length;
        this.touched.push(texel);
        this.before.push(data[3 * texel], data[3 * texel + 1], data[3 * texel + 2]);
        this.cover.push(0);
        for (let k = 0; k < 3; k++) this.place.push(reach.place[3 * i + k]);
        this.aim(at);
      }
      const cover = manner.opacity * dab[4] * falloff(reach.distance[i], manner.hardness);
      if (cover <= this.cover[at]) continue;
      this.cover[at] = cover;
      this.lay(at);
    }
    return count;
  }

  /** Ends the stroke: what is to be healed is given the colours of its border. @returns texels that this changed */
  end(): readonly number[] {
    const { manner } = this;
    const healed =
      manner.kind === 'heal' || ((manner.kind === 'copy' || manner.kind === 'picture') && manner.heal === true);
    if (healed) this.heal();
    for (const texel of this.touched) this.slot[texel] = -1;
    return healed ? this.touched : [];
  }

  /** Makes ready what a dab takes its colours from. @returns false if there is nothing */
  private prepare([, , , radius]: Dab): boolean {
    const { manner, reach } = this;
    this.first ??= { middle: vec(reach.middle), normal: vec(reach.normal) };
    if (manner.kind === 'soften' || manner.kind === 'sharpen') {
      const sigma = Math.max(
        LEAST_BLUR * reach.texelSize,
        manner.kind === 'soften' ? BLUR_SHARE * radius : SHARP_TEXELS * reach.texelSize,
      );
      this.patch = this.patchAbout(reach.normal, undefined, radius + 2.5 * sigma, sigma / 2);
      this.blurred = this.patch.blurred(sigma);
    } else if (manner.kind === 'copy') return this.prepareCopy(manner, radius);
    return true;
  }

  /** The patch that a dab copies from: as far from the source as the dab is from where the stroke began. */
  private prepareCopy(manner: Omit<CopyTouch, 'dabs'>, radius: number): boolean {
    const { reach } = this;
    const { middle, normal } = this.first!;
    const here = vec(reach.middle);
    const hereNormal = vec(reach.normal);
    const hereRight = rightOf(hereNormal);
    // What is reached for the dab must outlive the search for its source.
    const kept = reach.keepFound();
    const found = this.findSource(manner, radius);
    if (found) {
      const turn = turnBetween(normal, found.normal, manner.turn);
      const way = rotateVector(turn, here[0] - middle[0], here[1] - middle[1], here[2] - middle[2]);
      const [x, y, z] = [0, 1, 2].map((k) => found.middle[k] + way[k]);
      if (reach.around(x, y, z, SOURCE_REACH * radius, SOURCE_WITHIN * radius)) {
        const there = turnBetween(hereNormal, vec(reach.normal), 0);
        const about = fromAxisAngle(vec(reach.normal), (manner.turn * Math.PI) / 180);
        const right = rotateVector(about, ...rotateVector(there, ...hereRight));
        this.patch = this.patchAbout(reach.normal, right, SOURCE_REACH * radius, reach.texelSize);
        this.source = { middle: here, right: hereRight, up: normalize3(cross3(hereNormal, hereRight)) };
        reach.putBack(kept);
        return true;
      }
    }
    reach.putBack(kept);
    return false;
  }

  /** Where the copy comes from lies on the surface here. */
  private findSource({ from }: Omit<CopyTouch, 'dabs'>, radius: number): { middle: Vec3; normal: Vec3 } | undefined {
    const { reach } = this;
    if (!this.copied && reach.around(from[0], from[1], from[2], 0, SOURCE_WITHIN * radius))
      this.copied = { middle: vec(reach.middle), normal: vec(reach.normal) };
    return this.copied;
  }

  private copied?: { middle: Vec3; normal: Vec3 };
  /** The frame of the dab that is copied to. */
  private source?: { middle: Vec3; right: Vec3; up: Vec3 };

  private patchAbout(normal: ArrayLike<number>, right: Vec3 | undefined, radius: number, step: number): TangentPatch {
    const { reach, mesh } = this;
    const ground = { mesh, triangles: [...reach.triangles], middle: vec(reach.middle), normal: vec(normal) };
    const along = right ?? rightOf(vec(normal));
    if (!right) this.source = { middle: ground.middle, right: along, up: normalize3(cross3(ground.normal, along)) };
    return new TangentPatch(ground, along, radius, Math.max(step, 0.5 * reach.texelSize), this.read);
  }

  /** Works out what a texel goes towards. */
  private aim(at: number): void {
    const { manner, rgb, lab } = this;
    const was = (k: number): number => LIGHT_OF_SRGB[this.before[3 * at + k]];
    switch (manner.kind) {
      case 'paint':
        for (let k = 0; k < 3; k++) rgb[k] = LIGHT_OF_SRGB[Math.round(manner.color[k])];
        break;
      case 'tint': {
        const [r, g, b] = manner.color.map((c) => LIGHT_OF_SRGB[Math.round(c)]);
        labOfLight(r, g, b, lab);
        const [, hueA, hueB] = lab;
        labOfLight(was(0), was(1), was(2), lab);
        lightOfLab(lab[0], hueA, hueB, rgb);
        break;
      }
      case 'tone': {
        labOfLight(was(0), was(1), was(2), lab);
        const angle = (manner.hue * Math.PI) / 180;
        const [cos, sin] = [manner.strength * Math.cos(angle), manner.strength * Math.sin(angle)];
        lightOfLab(lab[0], cos * lab[1] - sin * lab[2], sin * lab[1] + cos * lab[2], rgb);
        for (let k = 0; k < 3; k++) rgb[k] *= 2 ** manner.lighter;
        break;
      }
      case 'soften':
      case 'sharpen': {
        const [a, b] = this.across(at);
        if (!this.blurred!(a, b, rgb)) rgb.fill(NaN);
        else if (manner.kind === 'sharpen') for (let k = 0; k < 3; k++) rgb[k] = was(k) + SHARPENED * (was(k) - rgb[k]);
        break;
      }
      case 'copy': {
        const [a, b] = this.across(at);
        rgb.fill(0);
        if (!this.patch!.addLight(a, b, rgb)) rgb.fill(NaN);
        break;
      }
      case 'picture':
        if (!this.picture?.light(this.place[3 * at], this.place[3 * at + 1], this.place[3 * at + 2], rgb))
          rgb.fill(NaN);
        break;
      case 'heal':
        for (let k = 0; k < 3; k++) rgb[k] = was(k);
    }
    if (!Number.isNaN(rgb[0])) this.changed = true;
    this.target.push(rgb[0], rgb[1], rgb[2]);
  }

  /** How far a texel lies to the right and up of the middle of the dab, mm. */
  private across(at: number): [number, number] {
    const { middle, right, up } = this.source!;
    const d: Vec3 = [0, 1, 2].map((k) => this.place[3 * at + k] - middle[k]) as Vec3;
    return [dot3(d, right), dot3(d, up)];
  }

  /** Lays a texel's target over what it was before. */
  private lay(at: number): void {
    if (Number.isNaN(this.target[3 * at])) return;
    const { data } = this.mesh.texture;
    const cover = this.cover[at];
    for (let k = 0; k < 3; k++) {
      const was = this.before[3 * at + k];
      const light = (1 - cover) * LIGHT_OF_SRGB[was] + cover * this.target[3 * at + k];
      data[3 * this.touched[at] + k] = cover > 0 ? Math.round(quickSrgbOfLight(light)) : was;
    }
  }

  /** Gives what was put there the colours of the border: in logarithms, as light and exposure change colours. */
  private heal(): void {
    const { touched, cover, target, place } = this;
    const isHeal = this.manner.kind === 'heal';
    let most = 0;
    for (const c of cover) most = Math.max(most, c);
    const border = touched.flatMap((_, i) => (cover[i] <= BORDER_COVER * most && target[3 * i] >= 0 ? [i] : []));
    const log = (light: number): number => Math.log(Math.max(2e-3, light));
    const value = border.flatMap((i) =>
      [0, 1, 2].map((k) => log(LIGHT_OF_SRGB[this.before[3 * i + k]]) - (isHeal ? 0 : log(target[3 * i + k]))),
    );
    const blend = new BorderBlend(
      { place: border.flatMap((i) => place.slice(3 * i, 3 * i + 3)), value },
      border.length,
    );
    if (blend.isEmpty) return;
    const { rgb } = this;
    for (let i = 0; i < touched.length; i++) {
      if (Number.isNaN(target[3 * i])) continue;
      blend.at(place[3 * i], place[3 * i + 1], place[3 * i + 2], rgb);
      for (let k = 0; k < 3; k++)
        target[3 * i + k] = Math.exp(rgb[k]) * (isHeal ? 1 : Math.max(2e-3, target[3 * i + k]));
      this.lay(i);
    }
  }
}

const vec = (a: ArrayLike<number>): Vec3 => [a[0], a[1], a[2]];

/** A unit vector across a normal, the same for the same normal. */
function rightOf(normal: Vec3): Vec3 {
  const frame = new Float64Array(9);
  frameAbout(normal[0], normal[1], normal[2], frame);
  return [frame[0], frame[1], frame[2]];
}

/** The shortest turn from one normal to another, and then about that by so many degrees. */
function turnBetween(from: Vec3, to: Vec3, degrees: number): Mat4 {
  const axis = cross3(from, to);
  const sine = Math.hypot(...axis);
  const angle = Math.atan2(sine, dot3(from, to));
  const about: Vec3 = sine > 1e-9 ? [axis[0] / sine, axis[1] / sine, axis[2] / sine] : rightOf(from);
  return multiply(fromAxisAngle(to, (degrees * Math.PI) / 180), fromAxisAngle(about, angle));
}

/** How much of a brush a place gets, by its distance in radii. */
function falloff(distance: number, hardness: number): number {
  if (distance <= hardness) return 1;
  const t = (1 - distance) / (1 - hardness);
  return t <= 0 ? 0 : t * t * (3 - 2 * t);
}
