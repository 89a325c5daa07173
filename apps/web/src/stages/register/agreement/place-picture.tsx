import { useEffect, useRef } from 'react';
import type { DoubtView, PieceView, PlaceView } from '@amber-knit/contracts';
import type { CloudSample } from './cloud-samples';
import { drawPlace, movedBy } from './draw-place';

const WIDTH = 272;
const HEIGHT = 200;

/** The scans in doubt at one of their places, in colour, among the others, pale. */
export function PlacePicture({
  piece,
  doubt,
  place,
  samples,
}: {
  piece: PieceView;
  doubt: DoubtView;
  place: PlaceView;
  samples: ReadonlyMap<string, CloudSample>;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const scans = piece.scanList.flatMap((s) => {
      const sample = samples.get(s.id);
      if (!sample || s.placement.state === 'loose' || s.placement.state === 'excluded') return [];
      const moving = doubt.scans.includes(s.name);
      const pose = moving
        ? movedBy(place.pieceFromPiece, s.placement.pieceFromScan)
        : Float64Array.from(s.placement.pieceFromScan);
      return [{ sample, pieceFromScan: pose, moving }];
    });
    context.clearRect(0, 0, WIDTH, HEIGHT);
    if (scans.length === 0) return;
    // All places of a doubt are seen from the same side, so that they can be compared.
    const seenAlong = Float64Array.from(doubt.places[1]?.pieceFromPiece ?? place.pieceFromPiece);
    context.putImageData(new ImageData(drawPlace(scans, seenAlong, WIDTH, HEIGHT), WIDTH, HEIGHT), 0, 0);
  }, [piece, doubt, place, samples]);
  return <canvas ref={canvas} width={WIDTH} height={HEIGHT} aria-hidden className="block w-full rounded-md bg-sunk" />;
}
