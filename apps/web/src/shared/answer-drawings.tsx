import type { Finish, GuideAnswers, GuideQuestion, ObjectKind, Surface } from '@amber-knit/planning';

const stroke = {
  fill: 'none',
  stroke: 'currentColor',
  strokeWidth: 1.8,
  strokeLinecap: 'round',
  strokeLinejoin: 'round',
} as const;

const KIND_LINES: Record<ObjectKind, string> = {
  vessel: 'M16 8h16M17 8c0 8-7 10-7 20 0 8 4 12 6 12h16c2 0 6-4 6-12 0-10-7-12-7-20M38 18c8-2 9 12 1 15',
  part: 'M8 34h32v6H8zM17 34V22h14v12M24 22a9 9 0 1 0-8-5M24 28h.1',
  figure: 'M24 6a5 5 0 1 1 0 10 5 5 0 0 1 0-10M24 16v14M24 20l-9 7M24 20l9 5M24 30l-6 10M24 30l6 10M12 41h24',
  flat: 'M8 14l24-6 8 24-24 8zM16 18l12-3M18 25l12-3',
  furniture: 'M12 6v34M12 22h22v18M34 22V12M12 30h22',
  room: 'M6 36l18 6 18-6V10L24 4 6 10zM24 4v20M24 24L6 36M24 24l18 12',
};

const SURFACE_FILL: Record<Surface, { base: string; extra?: string }> = {
  matte: { base: '#b8aa93' },
  glossy: { base: '#8f6a4a', extra: 'M16 14c3-4 8-5 12-3' },
  dark: { base: '#37322c' },
  mirror: { base: '#a9b4ba', extra: 'M12 28c8-12 16-12 24-4M14 32c8-10 14-9 20-3' },
  transparent: { base: 'none', extra: 'M10 30h28M10 26h28' },
  hair: { base: '#c9b58f', extra: 'M14 12l-4-6M20 9l-2-6M27 9l2-6M33 12l5-6' },
};

const FINISH_LINES: Record<Finish, string> = {
  print: 'M10 40h28M14 40V12h20M24 12v8M20 20h8l-2 5h-4zM18 34h12v6H18z',
  archive: 'M8 12h32v8H8zM11 20v20h26V20M19 26h10',
  render: 'M24 8a16 16 0 1 0 0 32c4 0 3-4 1-6s0-5 4-5h5c4 0 6-3 6-6 0-9-8-15-16-15M15 22h.1M20 15h.1M28 15h.1M34 20h.1',
  reverse: 'M8 40l10-10M14 24l10 10 16-16L30 8zM22 20l3 3M27 15l3 3',
};

export function KindDrawing({ kind }: { kind: ObjectKind }) {
  return (
    <svg width="40" height="40" viewBox="0 0 48 48" aria-hidden>
      <path d={KIND_LINES[kind]} {...stroke} />
    </svg>
  );
}

export function FinishDrawing({ finish }: { finish: Finish }) {
  return (
    <svg width="36" height="36" viewBox="0 0 48 48" aria-hidden>
      <path d={FINISH_LINES[finish]} {...stroke} />
    </svg>
  );
}

export function SurfaceDrawing({ surface }: { surface: Surface }) {
  const { base, extra } = SURFACE_FILL[surface];
  return (
    <svg width="36" height="36" viewBox="0 0 48 48" aria-hidden>
      <circle cx="24" cy="24" r="16" fill={base} stroke="currentColor" strokeWidth="1.5" />
      {extra && <path d={extra} {...stroke} stroke={surface === 'glossy' ? '#fff' : 'currentColor'} />}
    </svg>
  );
}

/** What the guided run asks besides kind and purpose; what is taken away or closed is dashed. */
const GUIDE_LINES: Record<Exclude<GuideQuestion, 'kind' | 'finish'>, Partial<Record<string, [string, string?]>>> = {
  fineness: {
    quick: ['M24 8l14 10v14L24 42 10 32V18zM24 8v34'],
    even: ['M24 8l10 4 5 10-3 12-12 8-12-8-3-12 5-10zM9 22h30M14 12l20 22M34 12L14 34'],
    finest: [
      'M24 7a17 17 0 1 1 0 34a17 17 0 1 1 0-34M7 24h34M24 7v34M12 12c7 6 17 6 24 0M12 36c7-6 17-6 24 0M12 12c6 7 6 17 0 24M36 12c-6 7-6 17 0 24',
    ],
  },
  support: {
    yes: ['M17 10h14l3 22H14z', 'M5 33h38M11 33v9M37 33v9'],
    no: ['M17 10h14l3 22H14z'],
  },
  others: {
    yes: ['M19 9h12l3 29H16z', 'M4 38V27h7v11M38 38V31h6v7'],
    no: ['M18 9h12l3 29H15z'],
  },
  openings: {
    close: ['M24 7a17 17 0 1 1 0 34a17 17 0 1 1 0-34', 'M17 20l8-3 6 6-3 8-9-1z'],
    keep: ['M13 10c0 4 22 4 22 0s-22-4-22 0c0 14 3 30 11 30s11-16 11-30'],
  },
};

/** The drawing of an answer; a question mark where one does not know. */
export function GuideDrawing<Q extends GuideQuestion>({ question, answer }: { question: Q; answer: GuideAnswers[Q] }) {
  const known = answer as string;
  if (known === 'unknown') return <Lines lines={['M17 17a7 7 0 1 1 10 7c-2 1-3 3-3 6M24 37h.1']} />;
  if (question === 'kind') return <KindDrawing kind={known as ObjectKind} />;
  if (question === 'finish') return <FinishDrawing finish={known as Finish} />;
  const lines = GUIDE_LINES[question as keyof typeof GUIDE_LINES][known];
  return <Lines lines={lines ?? ['']} />;
}

function Lines({ lines: [line, dashed] }: { lines: [string, string?] }) {
  return (
    <svg width="36" height="36" viewBox="0 0 48 48" aria-hidden>
      <path d={line} {...stroke} />
      {dashed && <path d={dashed} {...stroke} strokeDasharray="3 3.5" />}
    </svg>
  );
}
