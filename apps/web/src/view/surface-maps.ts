import type { BakedKind } from '@amber-knit/core/geometry';
import * as THREE from 'three';

/** The maps of one light surface: packed until something shows them, then kept on the graphics side. */
export class SurfaceMaps {
  private readonly textures = new Map<BakedKind, THREE.Texture>();
  private readonly loading = new Set<BakedKind>();
  private isGone = false;

  /** @param onLoaded called whenever a map that was asked for has come */
  constructor(
    private readonly packed: Partial<Record<BakedKind, Uint8Array>>,
    private readonly onLoaded: () => void,
  ) {}

  /** A map, or nothing until it is unpacked; `onLoaded` tells when. */
  get(kind: BakedKind): THREE.Texture | undefined {
    const known = this.textures.get(kind);
    const png = this.packed[kind];
    if (known || !png || this.loading.has(kind)) return known;
    this.loading.add(kind);
    void textureOf(png, THREE.NoColorSpace)
      .then((texture) => {
        if (this.isGone) return texture.dispose();
        this.textures.set(kind, texture);
        this.onLoaded();
      })
      // Without the map the surface is shown plain.
      .catch(() => undefined);
    return undefined;
  }

  dispose(): void {
    this.isGone = true;
    this.textures.forEach((t) => t.dispose());
    this.textures.clear();
  }
}

/** A packed picture as a texture whose origin is the lower left. */
export async function textureOf(png: Uint8Array, colorSpace: THREE.ColorSpace): Promise<THREE.Texture> {
  const bitmap = await createImageBitmap(new Blob([png as Uint8Array<ArrayBuffer>], { type: 'image/png' }), {
    imageOrientation: 'flipY',
    // Numbers of a map are no colours: nothing may change them.
    colorSpaceConversion: colorSpace === THREE.NoColorSpace ? 'none' : 'default',
  });
  const map = new THREE.Texture(bitmap);
  map.flipY = false;
  map.colorSpace = colorSpace;
  map.needsUpdate = true;
  return map;
}
