/** Pinhole camera as in docs/formats.md: pixel centres at whole numbers. */
export interface FrameCamera {
  width: number;
  height: number;
  fx: number;
  fy: number;
  cx: number;
  cy: number;
}

/** One frame on the wire. Absent parts were not sent. */
export interface DeviceFrame {
  sequence: number;
  /** Milliseconds on the device's clock. */
  time: number;
  /** Turntable angle, degrees. */
  angle?: number;
  depth?: {
    camera: FrameCamera;
    /** mm a step of `data`. */
    unit: number;
    /** 0 = nothing measured. */
    data: Uint16Array;
    /** Brightness of the depth sensor's own picture, 255 = over-exposed. */
    infrared?: Uint8Array;
  };
  color?: { camera: FrameCamera; data: Uint8Array };
  /** Where the device believes it is: 16 numbers, column by column. */
  pose?: Float64Array;
}

const MAGIC = 0x46444b41; // "AKDF"
const HEADER = 80;
const HAS_INFRARED = 1;
const HAS_ANGLE = 2;
const HAS_POSE = 4;
/** Images larger than this on an edge are refused. */
const MAX_EDGE = 8192;

/** Writes a frame: 80 bytes of header, then depth, infrared, colour, pose, each from a multiple of 8. Little endian. */
export function encodeFrame(frame: DeviceFrame): ArrayBuffer {
  const { depth, color, pose } = frame;
  const parts: Uint8Array[] = [];
  const add = (a: ArrayBufferView): void => void parts.push(new Uint8Array(a.buffer, a.byteOffset, a.byteLength));
  if (depth) add(depth.data);
  if (depth?.infrared) add(depth.infrared);
  if (color) add(color.data);
  if (pose) add(pose);
  const out = new ArrayBuffer(parts.reduce((n, p) => n + align(p.length), HEADER));
  const v = new DataView(out);
  v.setUint32(0, MAGIC, true);
  v.setUint16(4, 1, true);
  v.setUint16(
    6,
    (depth?.infrared ? HAS_INFRARED : 0) | (frame.angle !== undefined ? HAS_ANGLE : 0) | (pose ? HAS_POSE : 0),
    true,
  );
  v.setUint32(8, frame.sequence, true);
  v.setFloat64(16, frame.time, true);
  v.setFloat32(24, depth?.unit ?? 0, true);
  v.setFloat32(28, frame.angle ?? 0, true);
  writeCamera(v, 32, depth?.camera);
  writeCamera(v, 56, color?.camera);
  const bytes = new Uint8Array(out);
  let at = HEADER;
  for (const p of parts) {
    bytes.set(p, at);
    at += align(p.length);
  }
  return out;
}

/**
 * Reads a frame; arrays are views of the message, nothing is copied.
 * @throws Error that names the fault if the bytes are no whole frame
 */
export function decodeFrame(message: ArrayBuffer): DeviceFrame {
  if (message.byteLength < HEADER) throw new Error(`A frame has at least ${HEADER} bytes; got ${message.byteLength}.`);
  const v = new DataView(message);
  if (v.getUint32(0, true) !== MAGIC) throw new Error('The message does not begin like a frame (AKDF).');
  if (v.getUint16(4, true) !== 1) throw new Error(`Frames of version ${v.getUint16(4, true)} are not known; 1 is.`);
  const flags = v.getUint16(6, true);
  const depthCamera = readCamera(v, 32);
  const colorCamera = readCamera(v, 56);
  const frame: DeviceFrame = { sequence: v.getUint32(8, true), time: v.getFloat64(16, true) };
  if (flags & HAS_ANGLE) frame.angle = v.getFloat32(28, true);
  let at = HEADER;
  const take = (bytes: number): number => {
    const start = at;
    at += align(bytes);
    if (at > message.byteLength)
      throw new Error(`The frame is cut off: ${message.byteLength} bytes, at least ${at} are needed.`);
    return start;
  };
  if (depthCamera) {
    const n = depthCamera.width * depthCamera.height;
    const unit = v.getFloat32(24, true);
    if (!(unit > 0)) throw new Error('The depth unit must be above 0.');
    frame.depth = { camera: depthCamera, unit, data: new Uint16Array(message, take(2 * n), n) };
    if (flags & HAS_INFRARED) frame.depth.infrared = new Uint8Array(message, take(n), n);
  }
  if (colorCamera) {
    const n = 3 * colorCamera.width * colorCamera.height;
    frame.color = { camera: colorCamera, data: new Uint8Array(message, take(n), n) };
  }
  if (flags & HAS_POSE) frame.pose = new Float64Array(message, take(128), 16);
  if (at !== message.byteLength)
    throw new Error(`The frame has ${message.byteLength - at} bytes more than its header says.`);
  return frame;
}

const align = (n: number): number => (n + 7) & ~7;

function writeCamera(v: DataView, at: number, c: FrameCamera | undefined): void {
  if (!c) return;
  v.setUint16(at, c.width, true);
  v.setUint16(at + 2, c.height, true);
  [c.fx, c.fy, c.cx, c.cy].forEach((x, i) => v.setFloat32(at + 4 + 4 * i, x, true));
}

function readCamera(v: DataView, at: number): FrameCamera | undefined {
  const width = v.getUint16(at, true);
  const height = v.getUint16(at + 2, true);
  if (width === 0 && height === 0) return undefined;
  if (width === 0 || height === 0 || width > MAX_EDGE || height > MAX_EDGE)
    throw new Error(`An image of ${width} × ${height} pixels is not possible.`);
  const [fx, fy, cx, cy] = [4, 8, 12, 16].map((d) => v.getFloat32(at + d, true));
  if (!(fx > 0 && fy > 0) || !Number.isFinite(cx + cy)) throw new Error('The camera has no focal length.');
  return { width, height, fx, fy, cx, cy };
}
