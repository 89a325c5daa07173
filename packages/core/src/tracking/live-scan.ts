import { resizeIntrinsics, type DepthFrame, type Intrinsics } from '../geometry/depth-frame.js';
import { integrateFrame } from '../fusion/integrate-frame.js';
import { SignedField } from '../fusion/signed-field.js';
import {
  identity,
  invertRigid,
  multiply,
  orthonormalized,
  rotationAngle,
  transformPoints,
  type Mat4,
} from '../math/mat4.js';
import { DotMap, findDots, gapBetween, type DotPairs } from '../marker-dots/index.js';
import { buildDepthPyramid, lightAtDepthPixels, type DepthLevel } from './depth-pyramid.js';
import { Keyframes, thumbnailOf } from './keyframes.js';
import type { ContrastReference } from './contrast-term.js';
import { LiveSurface } from './live-surface.js';
import { ModelSplats } from './model-splats.js';
import { projectSplats } from './project-splats.js';
import { alignFromSecondStart, alignPainted, misfitOf, type PaintedAlignment } from './weakest-motion.js';

export interface LiveScanOptions {
  /** Edge of the live model's voxels, mm. */
  voxel: number;
  /** How far from the sensor the object is held, mm: reaches and motions are shares of it, so that size does not matter. */
  distance: number;
  /** Distances are kept up to this many voxels from the surface. */
  truncationVoxels: number;
  /** Largest believable turn between two frames, radians. */
  maxTurn: number;
  /** A frame goes into the model once the sensor has turned so far since the last that did, radians, or moved as far. */
  addTurn: number;
  /** Marker dots are stuck on: they are looked for and tracked by. */
  dots: boolean;
  /** Frames that must follow on after the way back was found before anything is added to the model again. */
  probation: number;
}

/** What need not be said; voxels and distance follow the device. */
export const LIVE_SCAN_DEFAULTS = {
  truncationVoxels: 2,
  maxTurn: 0.17,
  addTurn: 0.09,
  dots: false,
  probation: 3,
} satisfies Partial<LiveScanOptions>;

/** Options with what need not be said left out. */
export type LiveScanSetting = Pick<LiveScanOptions, 'voxel' | 'distance'> & Partial<LiveScanOptions>;

/** `first`: begins the model. `tracked`: followed and added. `returning`: found again, on probation. `lost`: nothing added. */
export type TrackingState = 'first' | 'tracked' | 'returning' | 'lost';

export interface LiveFrameResult {
  state: TrackingState;
  /** Pose in the live model's frame (the first sensor's); of the last tracked frame while lost. */
  pieceFromSensor: Mat4;
  overlapRatio: number;
  inlierRatio: number;
  /** mm. */
  rms: number;
  /** How well the colours' contrast agrees with the model's, -1 to 1; 0 without colours. */
  correlation: number;
  /** Marker dots that were recognised and lie where they belong. */
  dots: number;
}

/** A frame as it is worked on. */
interface Sight {
  frame: Omit<DepthFrame, 'scanFromSensor'>;
  levels: DepthLevel[];
  /** Marker dots in the sensor's frame. */
  seen: Float32Array;
}

type Alignment = PaintedAlignment & { dots: number };

/** Blocks of the live model at most: 860 MB, what a page can spare. */
const MOST_BLOCKS = 60_000;
/*
 * Lengths as shares of the working distance. Found on one round by hand at 330 mm, where they were 45, 28, 12, 40, 15, 4
 * and 3 mm; a sensor that works farther away moves as much farther, errs as much more and sees things as much smaller.
 */
/** Largest believable motion between two frames, and the one after which a frame tells something new. */
const MOST_SHIFT = 0.14;
const NEWS_SHIFT = 0.085;
/** How far points may lie from the model where the motion is foreseen, where the place is only guessed, and then again. */
const FOLLOW_REACH = 0.036;
const GUESS_REACH = 0.12;
const AGAIN_REACH = 0.045;
/** What a difference of contrast of 1 weighs against the model's colours, and against the last frame's. */
const MODEL_CONTRAST = 0.012;
const FRAME_CONTRAST = 0.009;
/** Poses so far apart are places of their own. */
const PLACE = 0.12;

/** How far a device's own motion is believed against the shape, see `alignProjectively`. */
const TRUST = 0.05;

/** Marker dots are things of a size of their own, so these are lengths: followed if the motion was foreseen to this, mm. */
const DOT_GUESS = 8;
/** So many dots where they belong leave no doubt about the place. */
const DOTS_ENOUGH = 5;
/** Dots lie where they belong if they are no further off, root mean square in mm. */
const DOT_GAP = 0.8;

/** An alignment that misfits by so much more than usual is tried from a second start. */
const UNSURE = 1.15;

/** What a good alignment shows at least. */
interface Demands {
  overlapRatio: number;
  inlierRatio: number;
  rms: number;
  correlation: number;
}

/**
 * Tracks a hand-held depth sensor against the model it is building, frame by frame: predict, align with the model as
 * seen from the last pose, judge, add. A frame that does not fit is not added, and from then on each frame is compared
 * with the keyframes until one shows the way back.
 *
 * Source: R. Newcombe et al. (2011), KinectFusion: real-time dense surface mapping and tracking.
 */
export class LiveScan {
  readonly field: SignedField;
  /** What there is to draw. */
  readonly surface: LiveSurface;
  private readonly splats: ModelSplats;
  private readonly o: LiveScanOptions;
  private readonly keyframes: Keyframes;
  private readonly dots = new DotMap();
  private seenLast: Float32Array = NO_DOTS;
  private pose: Mat4 = identity();
  private motion: Mat4 = identity();
  private lastAdded: Mat4 = identity();
  private state: TrackingState = 'lost';
  private trial = 0;
  private believed?: Mat4;
  /** Running means over tracked frames: what is usual here. */
  private usual = { rms: 0, inlierRatio: 1, correlation: 0 };
  /** The last frame that went into the model: sharper than the model's colours. */
  private reference?: { pose: Mat4; levels: DepthLevel[] };
  private model?: { pose: Mat4; levels: DepthLevel[] };

  constructor(options: LiveScanSetting) {
    this.o = { ...LIVE_SCAN_DEFAULTS, ...options };
    this.keyframes = new Keyframes(PLACE * this.o.distance);
    this.field = new SignedField(this.o.voxel, MOST_BLOCKS);
    this.splats = new ModelSplats(this.field);
    this.surface = new LiveSurface(this.splats);
  }

  /**
   * Takes the next frame; its own `scanFromSensor` is not looked at.
   * @param believed where the device believes it is, in a frame of its own that stays the same throughout: its motion
   *   is then followed where the shape does not hold the frame, and track is not lost
   */
  process(frame: Omit<DepthFrame, 'scanFromSensor'>, believed?: Mat4): LiveFrameResult {
    const carried =
      believed && this.believed ? multiply(this.pose, multiply(invertRigid(this.believed), believed)) : undefined;
    this.believed = believed;
    const light = frame.color && lightAtDepthPixels(frame.camera, frame.color);
    const levels = buildDepthPyramid(frame.camera, frame.depth, 2, light, 1);
    const now = { frame, levels, seen: this.dotsIn(frame) };
    this.seenLast = now.seen;
    if (this.field.blockCount === 0) {
      this.add(frame, now.seen);
      this.reference = { pose: this.pose, levels };
      this.state = 'tracked';
      const whole = { overlapRatio: 1, inlierRatio: 1, rms: 0, correlation: 1, dots: now.seen.length / 3 };
      return { state: 'first', pieceFromSensor: this.pose, ...whole };
    }
    return this.state === 'lost' ? this.findBack(now) : this.follow(now, carried);
  }

  /** Marker dots found in the last frame, recognised or not, in its sensor's frame, 3n. */
  get dotsSeen(): Float32Array {
    return this.seenLast;
  }

  private dotsIn(frame: Omit<DepthFrame, 'scanFromSensor'>): Float32Array {
    return this.o.dots ? findDots(frame) : NO_DOTS;
  }

  /**
   * Begins again with frames whose poses are known: after a stretch was taken back, or when a capture is resumed.
   * Tracking then has to find its way back by itself.
   */
  static restore(frames: DepthFrame[], options: LiveScanSetting): LiveScan {
    const live = new LiveScan(options);
    for (const frame of frames) {
      live.pose = frame.scanFromSensor;
      live.add(frame, live.dotsIn(frame));
    }
    live.state = frames.length > 0 ? 'lost' : live.state;
    return live;
  }

  private follow(now: Sight, carried: Mat4 | undefined): LiveFrameResult {
    const { usual } = this;
    const demands = {
      overlapRatio: 0.3,
      inlierRatio: usual.inlierRatio - 0.12,
      rms: Math.max(0.4 * this.o.voxel, 2 * usual.rms),
      // On probation it must also look like the place it is taken for.
      correlation: (this.trial > 0 ? 0.6 : 0.3) * usual.correlation,
    };
    // The last motion goes on, or has stopped: whichever fits.
    const guesses = carried ? [carried] : [multiply(this.pose, this.motion), this.pose];
    const marked = this.recognise(now.seen, guesses);
    if (marked && !carried) guesses.unshift(marked.mapFromSensor);
    let best: { pose: Mat4; result: Alignment } | undefined;
    for (const guess of guesses) {
      const found = this.align(
        now,
        guess,
        Math.max(FOLLOW_REACH * this.o.distance, 2 * this.o.voxel),
        carried ? TRUST : 0,
        marked,
      );
      if (!best || found.result.inlierRatio > best.result.inlierRatio) best = found;
      if (fits(found.result, demands) && !slid(found.result, usual)) break;
    }
    const { result } = best!;
    // A device that knows its own motion is believed where the shape says something else, or nothing.
    const strays = carried && !(fits(result, demands) && this.isNear(best!.pose, carried));
    const pose = strays ? carried : best!.pose;
    const motion = multiply(invertRigid(this.pose), pose);
    const believable =
      (result.dots >= DOTS_ENOUGH || !slid(result, usual)) &&
      Math.hypot(motion[12], motion[13], motion[14]) <= MOST_SHIFT * this.o.distance &&
      rotationAngle(motion) <= this.o.maxTurn;
    if (!carried && !(fits(result, demands) && believable)) {
      this.state = 'lost';
      return { state: 'lost', pieceFromSensor: this.pose, ...figures(result) };
    }
    this.pose = pose;
    this.motion = motion;
    if (this.trial > 0) this.trial--;
    // A model of very few frames learns what is usual from those that have just found back to it.
    if (this.trial > 0 && usual.rms === 0) Object.assign(usual, { rms: result.rms, correlation: result.correlation });
    if (this.trial > 0) return { state: 'returning', pieceFromSensor: pose, ...figures(result) };
    if (strays) return this.takeIn(now, pose, result);
    usual.rms = usual.rms === 0 ? result.rms : 0.9 * usual.rms + 0.1 * result.rms;
    usual.correlation =
      usual.correlation === 0 ? result.correlation : 0.97 * usual.correlation + 0.03 * result.correlation;
    usual.inlierRatio = 0.9 * usual.inlierRatio + 0.1 * result.inlierRatio;
    return this.takeIn(now, pose, result);
  }

  /** Which dots are which: near where one of the guesses has them, or else by their mutual distances. */
  private recognise(seen: Float32Array, guesses: Mat4[]): DotPairs | undefined {
    if (seen.length < 9) return undefined;
    for (const guess of guesses) {
      const pairs = this.dots.follow(seen, guess, DOT_GUESS);
      if (pairs && pairs.rms < DOT_GAP && pairs.seen.length >= 3 * 4) return pairs;
    }
    return this.dots.recognise(seen);
  }

  private takeIn(now: Sight, pose: Mat4, result: Alignment): LiveFrameResult {
    this.state = 'tracked';
    if (this.isNews(pose)) {
      this.add(now.frame, now.seen);
      this.reference = { pose, levels: now.levels };
    }
    return { state: 'tracked', pieceFromSensor: pose, ...figures(result) };
  }

  /** Has an alignment moved no farther from a carried pose than a device errs from one frame to the next. */
  private isNear(pose: Mat4, carried: Mat4): boolean {
    const d = multiply(invertRigid(carried), pose);
    return Math.hypot(d[12], d[13], d[14]) < 2 * this.o.voxel && rotationAngle(d) < 0.02;
  }

  /** Tries the places that look most alike; the strictest fit wins. */
  private findBack(now: Sight): LiveFrameResult {
    const { frame } = now;
    const thumbnail = thumbnailOf(frame.depth, frame.camera.width, frame.camera.height, frame.color?.image);
    const { usual } = this;
    const demands = {
      overlapRatio: 0.6,
      inlierRatio: usual.inlierRatio - 0.04,
      rms: Math.max(0.3 * this.o.voxel, 1.5 * usual.rms),
      // A place that only looks alike in shape shows other paint.
      correlation: 0.75 * usual.correlation,
    };
    let best: { pose: Mat4; result: Alignment } | undefined;
    const guesses = [this.pose, ...this.keyframes.mostAlike(thumbnail, 3)];
    const marked = this.recognise(now.seen, []);
    if (marked) guesses.unshift(marked.mapFromSensor);
    for (const guess of guesses) {
      let found = this.align(now, guess, GUESS_REACH * this.o.distance, 0, marked);
      if (!found.result.wellPosed) continue;
      // Seen from where it has come to, the model tells more.
      found = this.align(now, found.pose, AGAIN_REACH * this.o.distance, 0, marked);
      if (!fits(found.result, demands)) continue;
      if (!best || found.result.inlierRatio > best.result.inlierRatio) best = found;
    }
    if (!best) return { state: 'lost', pieceFromSensor: this.pose, ...NOTHING };
    this.pose = best.pose;
    this.motion = identity();
    this.trial = this.o.probation;
    this.state = 'returning';
    return { state: 'returning', pieceFromSensor: this.pose, ...figures(best.result) };
  }

  private align(
    { levels }: Sight,
    guess: Mat4,
    reach: number,
    trust: number,
    marked: DotPairs | undefined,
  ): { pose: Mat4; result: Alignment } {
    const model = this.modelFrom(guess, levels[0].camera);
    const { voxel } = this.o;
    const references = [0, 1].map((k) => this.referencesFor(model, k));
    const [fine, coarse] = [0, 1].map((k) => ({
      frame: levels[k],
      model: model.levels[k],
      references: references[k],
      dots: marked && { seen: marked.seen, known: transformPoints(invertRigid(model.pose), marked.known) },
    }));
    const stages = [
      { ...coarse, iterations: 8, maxDistance: reach, patience: 12 },
      { ...fine, iterations: 4, maxDistance: Math.max(3 * voxel, 0.4 * reach), patience: 8 },
      { ...fine, iterations: 4, maxDistance: 3 * voxel },
    ];
    let found = alignPainted(stages, identity(), trust);
    // Not as good as usual: it may have stopped short of where it belongs.
    if (trust === 0 && !marked && !(misfitOf(found) < UNSURE * misfitOf(this.usual)))
      found = alignFromSecondStart(stages, identity(), found);
    const pose = orthonormalized(multiply(model.pose, found.modelFromFrame));
    if (!marked) return { pose, result: { ...found, dots: 0 } };
    // A place where the dots are not is not the place.
    const agreed = gapBetween(marked, pose) < DOT_GAP;
    const dots = agreed ? marked.seen.length / 3 : 0;
    return { pose, result: { ...found, dots, wellPosed: found.wellPosed && agreed } };
  }

  /** What a frame's contrast is compared with at a level: the model, and the last frame added if it looks the same way. */
  private referencesFor(model: { pose: Mat4; levels: DepthLevel[] }, k: number): ContrastReference[] {
    const out: ContrastReference[] = [
      { level: model.levels[k], fromModel: identity(), scale: MODEL_CONTRAST * this.o.distance },
    ];
    if (this.reference) {
      const fromModel = multiply(invertRigid(this.reference.pose), model.pose);
      if (rotationAngle(fromModel) < 0.5)
        out.push({ level: this.reference.levels[k], fromModel, scale: FRAME_CONTRAST * this.o.distance });
    }
    return out;
  }

  /** The model as seen from a pose, kept for as long as the pose and the model stay. */
  private modelFrom(pose: Mat4, camera: Intrinsics): { pose: Mat4; levels: DepthLevel[] } {
    if (this.model && this.model.pose === pose) return this.model;
    const half = resizeIntrinsics(camera, camera.width >> 1, camera.height >> 1);
    this.model = { pose, levels: [camera, half].map((c) => projectSplats(this.splats, c, pose)) };
    return this.model;
  }

  /** Has the sensor moved enough to tell the model something. */
  private isNews(pose: Mat4): boolean {
    const d = multiply(invertRigid(this.lastAdded), pose);
    return Math.hypot(d[12], d[13], d[14]) >= NEWS_SHIFT * this.o.distance || rotationAngle(d) >= this.o.addTurn;
  }

  private add(frame: Omit<DepthFrame, 'scanFromSensor'>, seen: Float32Array): void {
    this.lastAdded = this.pose;
    const { width, height } = frame.camera;
    const { voxel, truncationVoxels } = this.o;
    const touched = integrateFrame(this.field, { ...frame, scanFromSensor: this.pose }, identity(), {
      truncation: truncationVoxels * voxel,
      scan: 0,
      fadeBehind: true,
    });
    this.splats.refresh(touched);
    this.surface.touch(touched);
    this.model = undefined;
    this.dots.learn(seen, this.pose);
    this.keyframes.offer(this.pose, thumbnailOf(frame.depth, width, height, frame.color?.image));
  }
}

/**
 * Has a frame slid along a surface that its shape does not hold, as a round body turned about its axis: somewhat less of
 * it lies on the model, or less closely, and its paint agrees somewhat less. Each alone also happens to frames that are right.
 */
function slid(r: Alignment, usual: { rms: number; inlierRatio: number; correlation: number }): boolean {
  const fewer = r.inlierRatio < usual.inlierRatio - 0.05 && r.correlation < 0.88 * usual.correlation;
  const rougher = usual.rms > 0 && r.rms > 2 * usual.rms && r.correlation < 0.93 * usual.correlation;
  return fewer || rougher;
}

function fits(r: Alignment, d: Demands): boolean {
  return (
    r.wellPosed &&
    r.overlapRatio >= d.overlapRatio &&
    r.inlierRatio >= d.inlierRatio &&
    r.rms <= d.rms &&
    r.correlation >= d.correlation
  );
}

type Fit = Pick<LiveFrameResult, 'overlapRatio' | 'inlierRatio' | 'rms' | 'correlation' | 'dots'>;

const NOTHING: Fit = { overlapRatio: 0, inlierRatio: 0, rms: Infinity, correlation: 0, dots: 0 };
const NO_DOTS = new Float32Array(0);

function figures({ overlapRatio, inlierRatio, rms, correlation, dots }: Alignment): Fit {
  return { overlapRatio, inlierRatio, rms, correlation, dots };
}
