import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { CaptureView } from '@amber-knit/contracts';
import { LINE_CENTRES_DEFAULTS, type StandEstimate, type TurnSearch } from '@amber-knit/core/line-laser';
import type { ClientMessage, DeviceInfo } from '@amber-knit/device-protocol';
import { deviceSaid, type DeviceSaid } from '../live/device-said';
import { uploadScan } from '../../../api/upload-scan';
import type { FromLineLaser, LineLaserSetup, Shown, ShownPicture, ToLineLaser, Trace } from './line-laser-messages';
import { setupFrom, standParams } from './stand-params';
import { videoPictures } from './video-pictures';
import { Store } from '../../../shared/store';

/** What the page shows of a line-laser recording; points go to the 3D view directly. */
export interface LineLaserState extends DeviceSaid {
  phase: 'closed' | 'connecting' | 'open';
  /** Where pictures come from; null for a file. */
  device: DeviceInfo | null;
  level: { pitch: number; roll: number } | null;
  recording: boolean;
  pictures: number;
  size: { width: number; height: number };
  search: TurnSearch | null;
  setup: LineLaserSetup;
  show: Shown;
  shown: ShownPicture | null;
  /** How far the search for lines has come, null while there is none. */
  work: number | null;
  points: number;
  /** Share of rows with a line, by picture; NaN where not looked for. */
  found: Float32Array | null;
  estimate: StandEstimate | null;
  traced: { place: [number, number, number]; traces: Trace[] } | null;
  /** Reading a file or sending the recording, 0–1. */
  transfer: { text: string; fraction: number } | null;
  saved: boolean;
  /** Where the server keeps the pictures, how many are there, and why not all; null for a file's. */
  capture: { id: string; stored: number; waiting: number; trouble: string | null } | null;
}

export type PointsMessage = Extract<FromLineLaser, { type: 'points' }>;

const KEPT_SETUP = 'amber-knit.line-laser-stand';

const FIRST_SETUP: LineLaserSetup = {
  lines: LINE_CENTRES_DEFAULTS,
  fieldOfView: 42,
  stand: { distance: 420, height: 80, laserAngle: 30, axisColumn: 0 },
  turn: { first: 0, count: 0, direction: 1 },
  platform: 200,
  lowest: 0.8,
};

const CLOSED: LineLaserState = {
  phase: 'closed',
  device: null,
  settings: null,
  bench: null,
  level: null,
  recording: false,
  pictures: 0,
  size: { width: 640, height: 480 },
  search: null,
  setup: FIRST_SETUP,
  show: { picture: null, light: false, row: 240 },
  shown: null,
  work: null,
  points: 0,
  found: null,
  estimate: null,
  traced: null,
  transfer: null,
  saved: false,
  capture: null,
  trouble: null,
};

/** What the operator set the last time; nothing if it can't be read. */
function keptSetup(): Partial<LineLaserSetup> {
  try {
    return (JSON.parse(localStorage.getItem(KEPT_SETUP) ?? '{}') ?? {}) as Partial<LineLaserSetup>;
  } catch {
    return {};
  }
}

/** Runs the line-laser worker for the page and keeps what it says in one observable state. */
export class LineLaserClient extends Store<LineLaserState> {
  private worker?: Worker;
  private readonly viewers = new Set<(points: PointsMessage) => void>();
  private packed?: (bytes: ArrayBuffer) => void;

  addViewer(viewer: (points: PointsMessage) => void): () => void {
    this.viewers.add(viewer);
    return () => this.viewers.delete(viewer);
  }

  connect(device: DeviceInfo): void {
    this.open(device.laser);
    this.set({ phase: 'connecting' });
    const url = new URL(`/api/devices/${device.id}`, window.location.href);
    url.protocol = url.protocol.replace('http', 'ws');
    this.post({ type: 'connect', url: url.href });
  }

  /** Takes a recording from a zip of numbered pictures or a video. */
  async read(file: File, perSecond: number): Promise<void> {
    this.open();
    this.set({ phase: 'open', recording: true, transfer: { text: `Reading ${file.name}`, fraction: 0 } });
    try {
      if (/\.zip$/i.test(file.name)) {
        const bytes = await file.arrayBuffer();
        this.post({ type: 'zip', bytes }, [bytes]);
      } else {
        let k = 0;
        for await (const { picture, of } of videoPictures(file, perSecond)) {
          if (this.state.phase === 'closed') return picture.close();
          this.post({ type: 'picture', picture }, [picture]);
          this.set({ transfer: { text: `Reading ${file.name}`, fraction: ++k / of } });
        }
        this.post({ type: 'stop' });
      }
    } catch (error) {
      this.set({ trouble: error instanceof Error ? error.message : String(error), recording: false, transfer: null });
    }
  }

  /** Takes up a recording that was left, from the pictures that the server holds. */
  takeUp({ id, frames, settings }: CaptureView, zip: ArrayBuffer): void {
    this.open();
    const capture = { id, stored: frames, waiting: 0, trouble: null };
    this.set({ phase: 'open', recording: true, capture });
    this.use(setupFrom(settings, this.state.setup));
    this.post({ type: 'zip', bytes: zip }, [zip]);
  }

  close(): void {
    // Pictures that are not stored yet are, before the worker ends by itself.
    if (this.state.capture) this.post({ type: 'leave' });
    else this.worker?.terminate();
    if (this.worker) this.worker.onmessage = null;
    this.worker = undefined;
    this.set(CLOSED);
  }

  /** Records into a capture of the server. */
  record({ id }: CaptureView): void {
    this.set({ capture: { id, stored: 0, waiting: 0, trouble: null } });
    this.set({ recording: true, search: null, found: null, points: 0, traced: null, saved: false, trouble: null });
    this.set({ show: { ...this.state.show, picture: null } });
    this.post({ type: 'record', captureId: id });
  }

  stop(): void {
    this.post({ type: 'stop' });
  }

  /** Changes part of what turns pictures into points; the points follow. */
  change(part: Partial<LineLaserSetup>): void {
    const { turn: _turn, ...own } = part;
    if (Object.keys(own).length > 0) localStorage.setItem(KEPT_SETUP, JSON.stringify({ ...keptSetup(), ...own }));
    this.use({ ...this.state.setup, ...part });
  }

  private use(setup: LineLaserSetup): void {
    this.set({ setup, traced: null, saved: false });
    this.post({ type: 'setup', setup });
  }

  look(show: Partial<LineLaserState['show']>): void {
    const next = { ...this.state.show, ...show };
    this.set({ show: next });
    this.post({ type: 'show', ...next });
  }

  estimate(): void {
    this.set({ estimate: null, trouble: null });
    this.post({ type: 'estimate', platform: this.state.setup.platform });
  }

  trace(place: [number, number, number]): void {
    this.post({ type: 'trace', place });
  }

  tell(message: ClientMessage): void {
    this.post({ type: 'device', message });
  }

  /** How the pictures become points, for the server; `handedOver` once it has them. */
  params(): object {
    return standParams(this.state.setup);
  }

  handedOver(): void {
    this.set({ saved: true });
  }

  /** Sends a recording that came from a file to the server, where it becomes a scan of the piece. */
  async save(about: { pieceId: string; setup: string; name: string }): Promise<void> {
    this.set({ transfer: { text: 'Packing the pictures', fraction: 0 }, trouble: null });
    const bytes = await new Promise<ArrayBuffer>((resolve) => {
      this.packed = resolve;
      this.post({ type: 'pack' });
    });
    const params = JSON.stringify({ name: about.name, ...this.params() });
    await new Promise<void>((resolve) => {
      uploadScan(
        new File([bytes], `${about.name}.zip`, { type: 'application/zip' }),
        { pieceId: about.pieceId, setup: about.setup, operation: OPERATION_IDS.captureLineLaser, params },
        {
          progress: (fraction) => this.set({ transfer: { text: 'Sending the recording', fraction } }),
          done: () => {
            this.set({ transfer: null, saved: true });
            resolve();
          },
          failed: (trouble) => {
            this.set({ transfer: null, trouble });
            resolve();
          },
        },
      );
    });
  }

  private open(laser?: DeviceInfo['laser']): void {
    this.close();
    const kept = keptSetup();
    const setup: LineLaserSetup = { ...FIRST_SETUP, ...kept };
    // What the device says of its stand counts until somebody has said otherwise.
    if (laser && !kept.stand) {
      setup.stand = { ...setup.stand, laserAngle: laser.angle, distance: laser.distance };
      setup.platform = laser.platform;
    }
    this.worker = new Worker(new URL('./line-laser.worker.ts', import.meta.url), { type: 'module' });
    this.worker.onmessage = (e: MessageEvent<FromLineLaser>) => this.receive(e.data);
    this.worker.onerror = (e) => this.set({ trouble: `The work on the recording stopped: ${e.message}.`, work: null });
    this.set({ setup });
    this.post({ type: 'setup', setup });
  }

  private post(message: ToLineLaser, transfer: Transferable[] = []): void {
    this.worker?.postMessage(message, transfer);
  }

  private receive(m: FromLineLaser): void {
    switch (m.type) {
      case 'connected':
        this.set({ device: m.device, phase: 'open', trouble: null });
        // What the device knows of its own optics counts; it is not the operator's word, so it is not kept.
        return this.use({ ...this.state.setup, fieldOfView: m.device.fieldOfView.horizontal });
      case 'device':
        return this.set(deviceSaid(m.message));
      case 'picture':
        this.state.shown?.bitmap.close();
        return this.set({ shown: m });
      case 'level':
        this.set({ level: { pitch: m.pitch, roll: m.roll } });
        return this.leanAs(m);
      case 'recording': {
        const { pictures, width, height } = m;
        const size = width > 0 ? { width, height } : this.state.size;
        const show = m.over ? { ...this.state.show, picture: 0 } : this.state.show;
        return this.set({ pictures, size, show, recording: !m.over, ...(m.over ? { transfer: null } : {}) });
      }
      case 'stored': {
        const { pictures: stored, waiting, trouble } = m;
        return this.set({ capture: this.state.capture && { ...this.state.capture, stored, waiting, trouble } });
      }
      case 'turn': {
        this.set({ search: m.search });
        const count = m.search.candidates[0]?.count ?? this.state.pictures;
        return this.change({ turn: { first: 0, count, direction: m.search.direction } });
      }
      case 'work':
        return this.set({ work: m.fraction < 1 ? m.fraction : null });
      case 'points':
        this.set({ points: m.positions.length / 3, found: m.found, trouble: null });
        return this.viewers.forEach((v) => v(m));
      case 'estimate': {
        const { distance, height, laserAngle, axisColumn, tilt, roll } = m.estimate;
        this.set({ estimate: m.estimate });
        return this.change({ stand: { distance, height, laserAngle, axisColumn, tilt, roll } });
      }
      case 'traced':
        return this.set({
          traced: m,
          ...(m.traces.length > 0 ? { show: { ...this.state.show, picture: m.traces[0].picture } } : {}),
        });
      case 'packed':
        return this.packed?.(m.bytes);
      case 'trouble':
        this.set({ trouble: m.text, work: null, transfer: null });
        // A file that can't be read, or a device that has gone, records no further; what there is stays.
        return m.over || !this.state.device ? this.set({ device: null, recording: false }) : undefined;
    }
  }

  /** Counts in what the spirit level says, until there is a recording: that was made as the camera leaned then. */
  private leanAs(level: { pitch: number; roll: number }): void {
    const { setup, pictures, recording } = this.state;
    const tilt = Math.round(100 * level.pitch) / 100;
    const roll = Math.round(100 * level.roll) / 100;
    if (pictures > 0 && !recording) return;
    if (tilt === (setup.stand.tilt ?? 0) && roll === (setup.stand.roll ?? 0)) return;
    this.use({ ...setup, stand: { ...setup.stand, tilt, roll } });
  }

  private set(change: Partial<LineLaserState>): void {
    this.put({ ...this.state, ...change });
  }
}

/** One recording at a time in a page. */
export const lineLaserClient = new LineLaserClient(CLOSED);
