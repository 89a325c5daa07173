import { useEffect, useRef } from 'react';
import { retouchClient } from './retouch-client';

/** The map laid flat, as it stands: strokes on the surface are seen on it as they are drawn. */
export function FlatMap({ png, size }: { png: Uint8Array; size: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    let end: (() => void) | undefined;
    let isGone = false;
    void createImageBitmap(new Blob([png as Uint8Array<ArrayBuffer>], { type: 'image/png' })).then((bitmap) => {
      if (isGone) return;
      context.drawImage(bitmap, 0, 0);
      end = retouchClient.watchTiles((_, tiles) => {
        for (const { x, y, width, height, rgba } of tiles)
          context.putImageData(new ImageData(new Uint8ClampedArray(rgba), width, height), x, y);
      });
    });
    return () => {
      isGone = true;
      end?.();
    };
  }, [png]);
  return (
    <canvas
      ref={canvas}
      width={size}
      height={size}
      role="img"
      aria-label="The map laid flat"
      className="mt-2 block w-full rounded-lg border border-line bg-sunk"
    />
  );
}
