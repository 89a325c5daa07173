import { rgb } from 'd3';
import { LIGHT_OF_SRGB, type BakedKind } from '@amber-knit/core/geometry';
import type { ColorMode } from '../app/view-slice';
import type { CloudSource } from './load-artifact';

/** One scan to show as points. */
export interface CloudItem {
  scanId: string;
  source: CloudSource;
  /** How many points it has. */
  points: number;
  color: string;
  /** Column-major 4×4: view from scan. */
  matrix: number[];
  visible: boolean;
  /** Drawn faintly: other scans are being tried. */
  faint: boolean;
}

export interface ViewContent {
  clouds: CloudItem[];
  /** Artifact of a mesh or a textured model, shown instead of the clouds. */
  surface?: string;
}

export interface ViewLook {
  color: ColorMode;
  lit: boolean;
  wireframe: boolean;
  /** Shades the edges of what points show. */
  edges: boolean;
  /** Of a light surface one map alone, in place of colours and light; null shows it as it looks. */
  map: BakedKind | null;
}

/** What lies under the pointer. */
export interface Pick {
  point: [number, number, number];
  /** Scan of the point, or undefined on a surface. */
  scanId?: string;
  /** True if the point is a vertex of the mesh or a measured point. */
  snapped: boolean;
  invented?: boolean;
  /** What the surface knows there of how it was measured. */
  known?: KnownPlace;
}

/** How a place of the surface was measured, as far as the surface knows. */
export interface KnownPlace {
  scanCount?: number;
  /** mm, one standard deviation. */
  expectedError?: number;
  /** Name of the scan that saw it most squarely, and at which angle, degrees. */
  bestScan?: string;
  bestAngle?: number;
}

/** Where an eye stands round what it looks at: angles in radians (0 down = from above), distance in mm. */
export interface Orbit {
  around: number;
  down: number;
  distance: number;
}

/** How the view stands: unit vectors to its right, up and towards the eye, and what a pixel of the page measures. */
export interface ViewAxes {
  right: [number, number, number];
  up: [number, number, number];
  toEye: [number, number, number];
  /** At the place asked for. */
  mmPerPixel: number;
}

/** What a layer tells the view that holds it. */
export interface LayerEvents {
  /** Something looks different: draw, at once if a person waits for it. */
  changed(atOnce?: boolean): void;
  /** Extents have become known or have changed. */
  extended(): void;
  failed(message: string): void;
}

/** The linear byte of each sRGB byte. */
const LINEAR = Uint8Array.from(LIGHT_OF_SRGB, (light) => Math.round(255 * light));

/** A colour of a style sheet as linear bytes. */
export function linearBytes(css: string): Uint8Array {
  const { r, g, b } = rgb(css);
  return srgbToLinear(Uint8Array.of(r, g, b));
}

/** sRGB bytes as linear bytes, which is what vertex colours mean to the renderer. */
export function srgbToLinear(bytes: Uint8Array): Uint8Array {
  const out = new Uint8Array(bytes.length);
  for (let i = 0; i < bytes.length; i++) out[i] = LINEAR[bytes[i]];
  return out;
}
