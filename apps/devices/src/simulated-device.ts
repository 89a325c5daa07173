import { createRandom, type Mat4 } from '@amber-knit/core/math';
import {
  encodeFrame,
  parseClientMessage,
  PROTOCOL_VERSION,
  type BenchArrangement,
  type ClientMessage,
  type DeviceMessage,
  type DeviceSettings,
  type DeviceState,
  type HeldAt,
} from '@amber-knit/device-protocol';
import { SETUPS, SWEEPS, type SimulatedModel } from './device-catalogue.js';
import { follow, reachable, sweepAt } from './operator.js';
import { arrangeScene, type BenchScene } from './scene-shelf.js';
import type { Sensor } from './sensors/sensor.js';

/** Where a simulated device sends to. */
export interface Outlet {
  text(message: DeviceMessage): void;
  frame(bytes: ArrayBuffer): void;
}

export const FIRST_ARRANGEMENT: BenchArrangement = {
  object: 'galley-jug',
  setup: 'Upright',
  block: 0,
  spray: false,
  putty: false,
  dots: false,
  roomLight: 0.2,
  empty: false,
};

/**
 * One session with a simulated device: answers messages, keeps the scanner where the operator holds it, takes frames at
 * the set rate as far as there is credit. A scripted sweep waits for credit, as a careful operator waits for the scanner;
 * a free hand does not.
 */
export class SimulatedDevice {
  private readonly random;
  private readonly settings: DeviceSettings;
  private readonly sensor: Sensor;
  private arrangement: BenchArrangement;
  private bench?: BenchScene;
  private held: HeldAt;
  private wanted: HeldAt;
  private sweep: { id: string; frame: number; speed: number; from: HeldAt } | null = null;
  private tableAngle = 0;
  private state: DeviceState = 'idle';
  private credit = 0;
  private sent = 0;
  private dropped = 0;
  private sequence = 0;
  private clock = 0;
  private lastTick = 0;
  private nextTick = 0;
  private lastPose?: Mat4;
  private timer?: NodeJS.Timeout;

  constructor(
    private readonly model: SimulatedModel,
    private readonly outlet: Outlet,
    seed = 1,
  ) {
    this.random = createRandom(seed);
    this.settings = Object.fromEntries(model.info.settings.map((s) => [s.name, s.default])) as DeviceSettings;
    this.sensor = model.sensor();
    this.arrangement = { ...FIRST_ARRANGEMENT, ...model.bench };
    this.held = { around: 20, up: 24, distance: model.info.range.best, yaw: 0, pitch: 0, ...model.held };
    this.wanted = this.held;
  }

  /** Takes a client's text message. */
  receive(text: string): void {
    const message = parseClientMessage(text);
    if (typeof message === 'string') this.outlet.text({ type: 'error', code: 'bad-message', message });
    else this.handle(message);
  }

  /** Where the sensor truly is and what it looks at; for tests that compare with the truth. */
  get truth(): { worldFromSensor: Mat4 | undefined; bench: BenchScene; held: HeldAt } {
    return { worldFromSensor: this.lastPose, bench: this.scene(), held: this.held };
  }

  close(): void {
    clearTimeout(this.timer);
    this.state = 'idle';
  }

  private handle(m: ClientMessage): void {
    switch (m.type) {
      case 'open':
        if (m.version !== PROTOCOL_VERSION) {
          this.refuse('wrong-version', `This device speaks version ${PROTOCOL_VERSION}, not ${m.version}.`);
        } else {
          const { info: device } = this.model;
          this.outlet.text({ type: 'ready', version: PROTOCOL_VERSION, device, settings: this.settings });
          this.tellBench();
        }
        return;
      case 'settings':
        return this.set(m.values);
      case 'start':
        return this.enter('running');
      case 'pause':
        return this.enter('paused');
      case 'stop':
        this.credit = 0;
        return this.enter('idle');
      case 'credit':
        this.credit = Math.min(16, this.credit + Math.max(0, Math.floor(m.frames)));
        return;
      case 'turn':
        if (!this.model.info.sensors.includes('angle')) {
          return this.refuse('not-supported', `${this.model.info.name} has no turntable.`);
        }
        this.tableAngle = ((m.angle % 360) + 360) % 360;
        this.outlet.text({ type: 'turned', angle: this.tableAngle });
        return;
      case 'bench':
        return this.rearrange(m);
    }
  }

  private set(values: Partial<DeviceSettings>): void {
    for (const [name, value] of Object.entries(values)) {
      const spec = this.model.info.settings.find((s) => s.name === name);
      if (!spec || !Number.isFinite(value)) {
        this.refuse('unknown-setting', `"${name}" can't be set to ${String(value)} here.`);
        continue;
      }
      this.settings[spec.name] = Math.max(spec.min, Math.min(spec.max, value));
    }
    this.outlet.text({ type: 'settings', settings: { ...this.settings } });
  }

  private rearrange({ arrange, hold, sweep, speed }: Extract<ClientMessage, { type: 'bench' }>): void {
    if (arrange) {
      const a = { ...this.arrangement, ...arrange };
      const known = this.model.info.bench?.objects.some((o) => o.id === a.object) && SETUPS.includes(a.setup);
      if (!known) return this.refuse('bad-message', 'The bench has no such object or setup.');
      this.arrangement = {
        ...a,
        block: Math.max(0, Math.min(120, Number(a.block) || 0)),
        roomLight: Math.max(0, Math.min(1, Number(a.roomLight) || 0)),
      };
      this.bench = undefined;
    }
    if (hold) {
      this.wanted = reachable({ ...this.wanted, ...numbersOf(hold) }, this.model.info.range.best);
      // A stand is put, not carried.
      if (this.model.info.deviceClass === 'line-laser') this.held = this.wanted;
    }
    if (sweep !== undefined) {
      if (sweep !== null && !SWEEPS.some((s) => s.id === sweep)) {
        return this.refuse('bad-message', `"${sweep}" is no sweep.`);
      }
      this.sweep = sweep === null ? null : { id: sweep, frame: 0, speed: Number(speed) || 1, from: this.held };
    }
    this.tellBench();
  }

  private enter(state: DeviceState): void {
    this.state = state;
    clearTimeout(this.timer);
    this.outlet.text({ type: 'state', state, sent: this.sent, dropped: this.dropped });
    if (state === 'running') {
      this.lastTick = Date.now();
      this.nextTick = this.lastTick;
      this.tick();
    }
  }

  private tick(): void {
    const begun = Date.now();
    const period = 1000 / this.settings.frameRate;
    const dt = Math.min(0.5, (begun - this.lastTick) / 1000);
    this.lastTick = begun;
    this.clock += period;
    const mayTake = this.credit > 0;
    if (this.sweep && mayTake) this.followSweep();
    else if (!this.sweep) this.held = follow(this.held, this.wanted, dt);
    if (mayTake) {
      this.credit--;
      this.takeFrame();
      this.sent++;
    } else this.dropped++;
    // The clock goes on evenly: after a frame that took longer the next ones follow sooner.
    this.nextTick = Math.max(begun, this.nextTick + period);
    this.timer = setTimeout(() => this.state === 'running' && this.tick(), Math.max(1, this.nextTick - Date.now()));
  }

  private followSweep(): void {
    const s = this.sweep!;
    const next = sweepAt(s.id, s.frame++, s.speed, s.from, this.model.info.range.best);
    if (next) {
      this.held = next;
      this.wanted = next;
    } else {
      this.sweep = null;
      this.tellBench();
    }
  }

  private takeFrame(): void {
    const { sensors } = this.model.info;
    const turnsItself = this.settings.turning !== undefined;
    const { frame, worldFromSensor } = this.sensor({
      settings: this.settings,
      arrangement: this.arrangement,
      bench: this.scene(),
      held: this.held,
      tremor: this.sweep ? this.sweep.speed : 1,
      turned: this.tableAngle,
      sequence: this.sequence,
      before: this.lastPose,
      random: this.random,
    });
    this.lastPose = worldFromSensor;
    const angle = sensors.includes('angle') ? this.tableAngle : undefined;
    this.outlet.frame(encodeFrame({ ...frame, sequence: this.sequence++, time: this.clock, angle }));
    if (turnsItself) this.tableAngle = (this.tableAngle + this.settings.turning / this.settings.frameRate) % 360;
  }

  private scene(): BenchScene {
    return (this.bench ??= arrangeScene(this.arrangement));
  }

  private tellBench(): void {
    const { arrangement, sweep } = this;
    const held = sweep ? this.held : this.wanted;
    this.outlet.text({ type: 'bench', arrangement, held, sweep: sweep?.id ?? null });
  }

  private refuse(code: 'bad-message' | 'unknown-setting' | 'not-supported' | 'wrong-version', message: string): void {
    this.outlet.text({ type: 'error', code, message });
  }
}

function numbersOf(hold: Partial<HeldAt>): Partial<HeldAt> {
  return Object.fromEntries(Object.entries(hold).filter(([, v]) => Number.isFinite(v)));
}
