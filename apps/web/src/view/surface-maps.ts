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

/** A part of a map that looks different now: pixels from its upper left, 4 bytes each, rows from the top. */
export interface MapTile {
  x: number;
  y: number;
  width: number;
  height: number;
  rgba: Uint8Array;
}

/** Changes parts of a texture whose origin is the lower left, without handing all of it over again. */
export function patchTexture(renderer: THREE.WebGLRenderer, map: THREE.Texture, tiles: readonly MapTile[]): void {
  const { height } = map.image as { height: number };
  if (map.generateMipmaps) {
    // Smaller versions would have to be made anew with every dab.
    map.generateMipmaps = false;
    map.minFilter = THREE.LinearFilter;
    map.needsUpdate = true;
  }
  renderer.initTexture(map);
  for (const tile of tiles) {
    const row = 4 * tile.width;
    const upwards = new Uint8Array(tile.rgba.length);
    for (let y = 0; y < tile.height; y++)
      upwards.set(tile.rgba.subarray(y * row, (y + 1) * row), (tile.height - 1 - y) * row);
    const part = new THREE.DataTexture(upwards, tile.width, tile.height, THREE.RGBAFormat);
    part.colorSpace = map.colorSpace;
    part.needsUpdate = true;
    renderer.copyTextureToTexture(part, map, null, new THREE.Vector2(tile.x, height - tile.y - tile.height));
    part.dispose();
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
