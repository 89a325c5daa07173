import { useState } from 'react';
import { artifactUrl } from '../api/artifact-url';
import type { PieceSummary } from '@amber-knit/contracts';

/** The piece's turntable strip; moving the pointer across turns it. */
export function Turntable({ piece }: { piece: PieceSummary }) {
  const views = Number(piece.picture?.facts.views ?? 1);
  const [view, setView] = useState(0);
  if (!piece.picture) {
    return (
      <div className="flex h-44 items-center justify-center bg-sunk" aria-hidden>
        <svg
          width="150"
          height="90"
          viewBox="0 0 150 90"
          fill="none"
          strokeWidth="3"
          strokeLinecap="round"
          opacity=".7"
        >
          {Array.from({ length: Math.min(8, Math.max(1, piece.scans)) }, (_, i) => (
            <path
              key={i}
              d={`M5 ${12 + i * 9}c30 -8 40 8 70 0s40 8 70 0`}
              stroke={i % 2 ? 'var(--teal)' : 'var(--amber)'}
            />
          ))}
        </svg>
      </div>
    );
  }
  return (
    <div
      className="h-44 bg-[#efe9dd]"
      role="img"
      aria-label={`Picture of ${piece.name}`}
      onPointerMove={(e) => {
        const r = e.currentTarget.getBoundingClientRect();
        setView(Math.min(views - 1, Math.max(0, Math.floor(((e.clientX - r.left) / r.width) * views))));
      }}
    >
      <div
        className="mx-auto h-44 w-44"
        style={{
          backgroundImage: `url(${artifactUrl(piece.picture.id)})`,
          backgroundSize: `${176 * views}px 176px`,
          backgroundPosition: `${-176 * view}px 0`,
        }}
      />
    </div>
  );
}
