import * as THREE from 'three';
import type { BitSet } from '@amber-knit/core/geometry';

/** What a point of a scan is drawn as. */
export const POINT_MARK = { plain: 0, selected: 1, gone: 2 } as const;

/**
 * Points that can be marked one by one: selected ones are drawn larger and hatched, so that they stand out on any
 * colour; gone ones not at all. The geometry needs an attribute `mark` of one byte a point.
 */
export function markedPointsMaterial(): THREE.PointsMaterial {
  const material = new THREE.PointsMaterial({ size: 1, sizeAttenuation: true });
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace('void main() {', 'attribute float mark;\nvarying float vMark;\nvoid main() {\n  vMark = mark;')
      .replace(
        '#include <logdepthbuf_vertex>',
        `#include <logdepthbuf_vertex>
         if (mark > 1.5) gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
         else if (mark > 0.5) gl_PointSize = max(2.0, 1.35 * gl_PointSize);`,
      );
    shader.fragmentShader = shader.fragmentShader
      .replace('void main() {', 'varying float vMark;\nvoid main() {')
      .replace(
        '#include <color_fragment>',
        `#include <color_fragment>
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
