import { interpolateCividis, rgb } from 'd3';
import * as THREE from 'three';
import type { BitSet } from '@amber-knit/core/geometry';
import { srgbToLinear } from './view-content';

/** What a point of a scan is drawn as. */
export const POINT_MARK = { plain: 0, selected: 1, gone: 2 } as const;

/** The scale for magnitudes, evenly readable without red and green (cividis), as linear colours; grey at the end: unknown. */
const SCALE = ((): THREE.DataTexture => {
  const data = new Uint8Array(4 * 256);
  for (let i = 0; i < 255; i++) {
    const { r, g, b } = rgb(interpolateCividis(i / 254));
    data.set([...srgbToLinear(Uint8Array.of(r, g, b)), 255], 4 * i);
  }
  data.set([70, 66, 60, 255], 4 * 255);
  const texture = new THREE.DataTexture(data, 256, 1);
  texture.needsUpdate = true;
  return texture;
})();

/**
 * Points that can be marked one by one: selected ones are drawn larger and hatched, so that they stand out on any
 * colour; gone ones not at all. The geometry needs an attribute `mark` of one byte a point, and `level`, one byte a
 * point, once `colorsByLevel` is on.
 */
export function markedPointsMaterial(): THREE.PointsMaterial {
  const material = new THREE.PointsMaterial({ size: 1, sizeAttenuation: true });
  const byLevel = { value: 0 };
  const byHeight = { value: 0 };
  const heights = { value: new THREE.Vector2(0, 1) };
  Object.assign(material.userData, { byLevel, byHeight, heights });
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, { byLevel, byHeight, heights });
    shader.uniforms.levelScale = { value: SCALE };
    shader.vertexShader = shader.vertexShader
      .replace(
        'void main() {',
        'attribute float mark;\nattribute float level;\nvarying float vMark;\nvarying float vLevel;\nvarying float vHeight;\nvoid main() {\n  vMark = mark;\n  vLevel = level;\n  vHeight = (modelMatrix * vec4(position, 1.0)).z;',
      )
      .replace(
        '#include <logdepthbuf_vertex>',
        `#include <logdepthbuf_vertex>
         if (mark > 1.5) gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
         else if (mark > 0.5) gl_PointSize = max(2.0, 1.35 * gl_PointSize);`,
      );
    shader.fragmentShader = shader.fragmentShader
      .replace(
        'void main() {',
        'varying float vMark;\nvarying float vLevel;\nvarying float vHeight;\nuniform float byLevel;\nuniform float byHeight;\nuniform vec2 heights;\nuniform sampler2D levelScale;\nvoid main() {',
      )
      .replace(
        '#include <color_fragment>',
        `#include <color_fragment>
         if (byHeight > 0.5) {
           float share = clamp((vHeight - heights.x) / max(1e-6, heights.y - heights.x), 0.0, 1.0);
           diffuseColor.rgb = texture2D(levelScale, vec2((254.0 * share + 0.5) / 256.0, 0.5)).rgb;
         }
         if (byLevel > 0.5) diffuseColor.rgb = texture2D(levelScale, vec2((vLevel + 0.5) / 256.0, 0.5)).rgb;
         if (vMark > 0.5) {
           // Teal and a pale amber, linear: the paint shows through a little.
           float stripe = step(5.0, mod(gl_FragCoord.x + gl_FragCoord.y, 8.0));
           diffuseColor.rgb = mix(diffuseColor.rgb, mix(vec3(0.01, 0.2, 0.23), vec3(0.9, 0.62, 0.2), stripe), 0.78);
           diffuseColor.a = 1.0;
         }`,
      );
  };
  return material;
}

/** Colours points by their levels instead of their own colours. */
export function colorsByLevel(material: THREE.PointsMaterial, on: boolean): void {
  (material.userData.byLevel as { value: number }).value = on ? 1 : 0;
}

/** Colours points by how high they stand between two heights, mm; undefined goes back to their own colours. */
export function colorsByHeight(material: THREE.PointsMaterial, range: readonly [number, number] | undefined): void {
  const { byHeight, heights } = material.userData as { byHeight: { value: number }; heights: { value: THREE.Vector2 } };
  byHeight.value = range ? 1 : 0;
  if (range) heights.value.set(...range);
}

/** Writes the marks of one page. The sets count the cloud's stored points; without `kept`, all are there. */
export function writeMarks(
  marks: THREE.BufferAttribute,
  firstRow: number,
  kept: BitSet | undefined,
  selected: BitSet | undefined,
  leaving: BitSet | undefined,
): void {
  const bytes = marks.array as Uint8Array;
  // Pages begin at whole bytes of the sets, and most bytes are all there and not selected.
  for (let i = 0, b = firstRow >> 3; i < bytes.length; i += 8, b++) {
    const there = (kept ? kept.bytes[b] : 255) & ~(leaving ? leaving.bytes[b] : 0);
    const chosen = selected ? selected.bytes[b] : 0;
    const end = Math.min(8, bytes.length - i);
    for (let k = 0; k < end; k++) {
      const bit = 1 << k;
      bytes[i + k] = there & bit ? (chosen & bit ? POINT_MARK.selected : POINT_MARK.plain) : POINT_MARK.gone;
    }
  }
  marks.needsUpdate = true;
}
