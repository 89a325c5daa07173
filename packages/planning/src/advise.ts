import type { DeviceInfo, DeviceSettings } from '@amber-knit/device-protocol';
import type { PlanAnswers } from './plan-answers.js';

/** Something that scans badly, and what helps. */
export interface PlanWarning {
  topic: string;
  text: string;
  remedy: string;
  serious: boolean;
}

export interface DeviceFit {
  id: string;
  fit: 'good' | 'possible' | 'poor';
  reason: string;
}

export interface SetupProposal {
  name: string;
  reason: string;
}

/** Starting values for later stages, mm and counts. */
export interface PlanDefaults {
  voxel: number;
  triangles: number;
  mapSize: number;
  /** Longest side of the object, mm. */
  size: number;
  /** Holes with a longer rim stay open, mm; 0 closes all. */
  maxRim: number;
  /** How the surface is to look where it bends. */
  shape: 'crisp' | 'even' | 'calm';
}

/** What tracking can lean on, the most demanding of the object first. */
export const TRACK_BY = ['shape', 'shape and colour', 'marker dots'] as const;
export type TrackBy = (typeof TRACK_BY)[number];

export interface PlanAdvice {
  devices: DeviceFit[];
  warnings: PlanWarning[];
  setups: SetupProposal[];
  /** Settings that differ from the device's own defaults. */
  settings: Partial<DeviceSettings>;
  /** What tracking leans on. */
  trackBy: TrackBy;
  defaults: PlanDefaults;
  tips: string[];
}

/**
 * Turns the answers into a device, settings, warnings, setups and later defaults. The thresholds are common practice
 * of the trade, no source, except what follows from the device's own figures.
 */
export function advise(a: PlanAnswers, devices: readonly DeviceInfo[]): PlanAdvice {
  const fits = devices.map((d) => fitOf(a, d));
  const device = devices.find((d) => d.id === a.deviceId) ?? bestOf(devices, fits);
  const trackBy = a.shape !== 'hardly' ? 'shape and colour' : a.marks !== 'hardly' ? 'shape and colour' : 'marker dots';
  return {
    devices: fits,
    warnings: warningsFor(a, device),
    setups: setupsFor(a),
    settings: device ? settingsFor(a, device) : {},
    trackBy: a.marks === 'hardly' && a.shape === 'plenty' ? 'shape' : trackBy,
    defaults: defaultsFor(a, device),
    tips: tipsFor(a, device),
  };
}

function bestOf(devices: readonly DeviceInfo[], fits: DeviceFit[]): DeviceInfo | undefined {
  const order = ['good', 'possible', 'poor'];
  const best = [...fits].sort((x, y) => order.indexOf(x.fit) - order.indexOf(y.fit))[0];
  return devices.find((d) => d.id === best?.id);
}

function fitOf(a: PlanAnswers, d: DeviceInfo): DeviceFit {
  const say = (fit: DeviceFit['fit'], reason: string): DeviceFit => ({ id: d.id, fit, reason });
  const view = 2 * d.range.best * Math.tan((d.fieldOfView.horizontal * Math.PI) / 360);
  if (a.size < d.smallestObject) return say('poor', `Wants at least ${d.smallestObject} mm; this is ${a.size} mm.`);
  if (a.kind === 'room') {
    return d.range.far >= 3000
      ? say('good', 'Reaches across a room.')
      : say('poor', 'Its range ends too soon for a room.');
  }
  if (d.deviceClass === 'turntable' || d.deviceClass === 'line-laser') {
    if (a.size > view) return say('poor', `Sees ${Math.round(view)} mm at once; the object is larger.`);
    if (!a.mayTouch || a.kind === 'furniture') return say('poor', 'The object must stand on the turntable.');
    return say(a.still ? 'good' : 'possible', 'Fits on the turntable: even stops, hands free.');
  }
  if (a.size > 12 * view) return say('poor', `Sees ${Math.round(view)} mm at once: too many frames for this size.`);
  const detail = a.finish === 'reverse' || a.finish === 'archive';
  if (detail && d.noise.sigma > a.size / 400)
    return say('possible', `Its noise of ${d.noise.sigma} mm hides fine detail.`);
  if (d.smallestObject > a.size / 2) return say('possible', 'The object is near its lower limit.');
  if (a.size > 6 * view) return say('possible', 'Works, in many frames; a wider device is quicker.');
  return say('good', `Sees ${Math.round(view)} mm at once from ${d.range.best} mm away.`);
}

function warningsFor(a: PlanAnswers, d: DeviceInfo | undefined): PlanWarning[] {
  const out: PlanWarning[] = [];
  const warn = (serious: boolean, topic: string, text: string, remedy: string): void =>
    void out.push({ topic, text, remedy, serious });
  const spray = a.mayTouch
    ? 'Matting spray cures it; ask the owner first.'
    : 'Spraying is not allowed here: expect gaps.';
  if (a.surfaces.includes('dark')) {
    warn(false, 'Dark surface', 'Dark parts send little light back.', `Raise the exposure in small steps. ${spray}`);
  }
  if (a.surfaces.includes('glossy')) {
    warn(
      false,
      'Gloss',
      'Highlights blind the sensor where it looks at them squarely.',
      `Tilt the scanner, lower the exposure. ${spray}`,
    );
  }
  if (a.surfaces.includes('mirror')) {
    warn(true, 'Mirror-like surface', 'It shows the room and not itself: wrong or no depth.', spray);
  }
  if (a.surfaces.includes('transparent')) {
    warn(true, 'Transparent surface', 'Light goes through: what lies behind is measured.', spray);
  }
  if (a.surfaces.includes('hair')) {
    warn(
      false,
      'Hair and fibres',
      'Strands thinner than a pixel come out as noise.',
      'Tie or cover it, or model it afterwards.',
    );
  }
  if (!a.still) {
    warn(
      true,
      'It moves',
      'Every movement bends the scan.',
      'Support it, scan fast and in short scans, register afterwards.',
    );
  }
  if (d && a.size < d.smallestObject) {
    warn(true, 'Too small', `${d.name} wants objects above ${d.smallestObject} mm.`, 'Choose a closer device.');
  }
  if (a.shape === 'hardly' && a.marks === 'hardly') {
    warn(
      true,
      'Nothing to follow',
      'Large smooth plain areas: tracking slides.',
      'Stick marker dots on, 20 to 40 mm apart, irregularly.',
    );
  }
  if (a.light === 'sun') {
    warn(true, 'Sun or bright lamps', 'They outshine the sensor’s own light.', 'Shade the object or wait for clouds.');
  }
  if (a.light === 'dim' && d?.deviceClass === 'structured-light') {
    warn(
      false,
      'Dim room',
      'Colour pictures come out noisy.',
      'Switch the room’s light on; even light from all sides is best.',
    );
  }
  return out;
}

function setupsFor(a: PlanAnswers): SetupProposal[] {
  const upright = { name: 'Upright', reason: 'All sides, and the top from above.' };
  if (a.kind === 'room' || a.kind === 'furniture' || !a.mayTouch) {
    return [{ name: 'As it stands', reason: 'It stays where it is; walk around it.' }];
  }
  if (a.kind === 'vessel') {
    return [upright, { name: 'Upside down', reason: 'The foot, and the sides from below.' }];
  }
  if (a.kind === 'flat') {
    return [
      { name: 'Face up', reason: 'The front with its rim.' },
      { name: 'Face down', reason: 'The back with its rim: the rim joins both.' },
    ];
  }
  return [
    upright,
    { name: 'On its side', reason: 'The underside, with sides that the first setup saw.' },
    ...(a.kind === 'part' ? [{ name: 'Upside down', reason: 'Bores and pockets from the other end.' }] : []),
  ];
}

function settingsFor(a: PlanAnswers, d: DeviceInfo): Partial<DeviceSettings> {
  const base = d.settings.find((s) => s.name === 'exposure');
  if (!base) return {};
  let exposure = base.default;
  if (a.surfaces.includes('dark')) exposure *= 2;
  if (a.surfaces.includes('glossy')) exposure *= 0.75;
  if (a.surfaces.includes('mirror')) exposure *= 0.6;
  if (!a.still) exposure = Math.min(exposure, base.default * 0.7);
  const stepped = base.step * Math.round(exposure / base.step);
  const limited = Math.max(base.min, Math.min(base.max, stepped));
  return limited === base.default ? {} : { exposure: limited };
}

function defaultsFor(a: PlanAnswers, d: DeviceInfo | undefined): PlanDefaults {
  const share = { print: 400, archive: 500, render: 350, reverse: 600 }[a.finish];
  const finest = Math.max(0.15, 2 * (d?.noise.sigma ?? 0.1));
  const voxel = Number(Math.max(finest, a.size / share).toPrecision(2));
  const triangles = { print: 400_000, archive: 800_000, render: 150_000, reverse: 600_000 }[a.finish];
  const mapSize = { print: 1024, archive: 4096, render: 4096, reverse: 1024 }[a.finish];
  // Common practice, no source: a print must be closed and a figure looks it; an archive or a reference for construction invents
  // no more than small gaps, and a room is open anyway.
  const closed = a.kind !== 'room' && (a.finish === 'print' || a.finish === 'render');
  const maxRim = closed ? 0 : Number((a.size / 5).toPrecision(2));
  // Made things have edges, and whoever constructs or prints wants them where they are. A lidar's noise would show on a room's walls.
  const shape = a.kind === 'room' ? 'calm' : a.kind === 'part' || a.finish === 'reverse' ? 'crisp' : 'even';
  return { voxel, triangles, mapSize, size: a.size, maxRim, shape };
}

function tipsFor(a: PlanAnswers, d: DeviceInfo | undefined): string[] {
  const tips: string[] = [];
  if (a.mayTouch && a.kind !== 'furniture' && a.kind !== 'room') {
    tips.push(
      'Raise it a little off the table on a block smaller than its foot: the support is then cut away cleanly.',
    );
    tips.push('Hold it firmly, with putty for instance; what the holder hides comes from another setup.');
  }
  if (d && d.deviceClass !== 'turntable' && d.deviceClass !== 'line-laser') {
    tips.push(`Leave room to walk around it, about ${d.range.best} mm between scanner and object.`);
    tips.push('Move slowly and steadily; overlap every pass with the one before.');
  }
  if (a.finish === 'print') tips.push('For print the model must be closed: see to the underside.');
  return tips;
}
