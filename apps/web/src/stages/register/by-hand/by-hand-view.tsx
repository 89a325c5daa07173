import { useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import { useAppSelector } from '../../../app/store';
import { LinkedOrbits } from './linked-orbits';
import { PairView } from './pair-view';
import { SeizeView } from './seize-view';

/** Side by side the scan to be placed and what it is placed on, or both in one view in which it is moved. */
export function ByHandView({ piece }: { piece: PieceView }) {
  const { moving, onto, by, linked } = useAppSelector((s) => s.byHand);
  const name = (id: string): string => piece.scanList.find((s) => s.id === id)?.name ?? '';
  const [orbits] = useState(() => new LinkedOrbits());
  orbits.on = linked;
  if (by === 'moving') return <SeizeView key={`${moving} ${onto}`} piece={piece} />;
  return (
    <div className="flex min-h-0 min-w-0 flex-1 gap-px bg-line">
      <PairView
        key={`from ${moving}`}
        orbits={orbits}
        piece={piece}
        side="from"
        title={`Moves: ${name(moving ?? '')}`}
      />
      <PairView
        key={`onto ${onto}`}
        orbits={orbits}
        piece={piece}
        side="onto"
        title={`Stays: ${onto === 'placed' ? 'all that have a place' : name(onto)}`}
      />
    </div>
  );
}
