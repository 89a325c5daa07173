import { useEffect, useRef, useSyncExternalStore } from 'react';
import { lineLaserClient } from './line-laser-client';

/** The camera's picture, or one of the recording, with the line that was found in it and the aids for aiming. */
export function LinePicture() {
  const { shown, show, setup, size, traced, device, recording } = useSyncExternalStore(
    lineLaserClient.subscribe,
    lineLaserClient.current,
  );
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const c = canvas.current;
    if (!c || !shown) return;
    const { width, height } = shown.bitmap;
    if (width === 0) return;
    if (c.width !== width || c.height !== height) [c.width, c.height] = [width, height];
    const context = c.getContext('2d', { willReadFrequently: true })!;
    context.drawImage(shown.bitmap, 0, 0);
    // One dot a row, dark-edged so that it shows on the line itself.
    const { columns, rows } = shown.line;
    const dot = Math.max(1, width / 640);
    for (const [fill, r] of [
      ['#05262a', 1.5 * dot],
      ['#3fe0e6', 0.8 * dot],
    ] as const) {
      context.fillStyle = fill;
      for (let i = 0; i < rows.length; i++) context.fillRect(columns[i] + 0.5 - r, rows[i] + 0.5 - r / 2, 2 * r, r);
    }
  }, [shown]);
  const { width, height } = size;
  const axis = setup.stand.axisColumn || (width - 1) / 2;
  const trace = traced?.traces.find((t) => t.picture === show.picture);
  const label = show.picture === null ? 'Camera picture' : `Picture ${show.picture + 1}`;
  return (
    <figure className="relative m-0 flex min-h-0 min-w-0 flex-1 items-center justify-center overflow-hidden bg-[#141210]">
      <div className="relative max-h-full" style={{ aspectRatio: `${width} / ${height}`, width: '100%' }}>
        <canvas
          ref={canvas}
          width={640}
          height={480}
          aria-label={`${label} with the laser line`}
          data-line-rows={shown?.line.rows.length ?? 0}
          className="block h-full w-full"
        />
        <svg
          onPointerDown={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            lineLaserClient.look({ row: Math.round(((e.clientY - box.top) / box.height) * height - 0.5) });
          }}
          viewBox={`0 0 ${width} ${height}`}
          className="absolute inset-0 h-full w-full cursor-row-resize"
          aria-hidden
        >
          <g stroke="#fff" strokeOpacity={0.55} strokeDasharray="7 6">
            <path d={`M${axis},0V${height}`} />
            <path d={`M0,${(height - 1) / 2}H${width}`} strokeOpacity={0.3} />
          </g>
          <path d={`M0,${show.row + 0.5}h14M${width},${show.row + 0.5}h-14`} stroke="#3fe0e6" strokeWidth={2} />
          <g fill="#fff" fontSize={height / 34} fillOpacity={0.8}>
            <text x={axis + 6} y={height - 8}>
              axis
            </text>
            <text x={8} y={(height - 1) / 2 - 5}>
              camera’s level
            </text>
          </g>
          {trace && (
            <g fill="none" stroke="#ffb23e" strokeWidth={2.5}>
              <circle cx={trace.column} cy={trace.row} r={13} />
              <path d={`M${trace.column},${trace.row - 26}v12M${trace.column},${trace.row + 14}v12`} />
            </g>
          )}
        </svg>
      </div>
      {device && !recording && show.picture !== null && (
        <button
          type="button"
          className="absolute right-2 top-2 min-h-7 rounded-lg border border-line bg-panel px-2 text-ink hover:bg-sunk"
          onClick={() => lineLaserClient.look({ picture: null })}
        >
          Live picture
        </button>
      )}
      <figcaption className="absolute left-2 top-2 rounded bg-black/60 px-2 py-0.5 text-white">
        {label}
        {show.light ? ', laser light only' : ''}
      </figcaption>
    </figure>
  );
}
