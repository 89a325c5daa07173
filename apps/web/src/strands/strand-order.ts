import type { ScanView } from '@amber-knit/contracts';

/** How strands can be ordered within their setup. */
export const STRAND_ORDERS = {
  arrival: 'Arrival',
  name: 'Name',
  points: 'Points',
  noise: 'Noise',
  state: 'State',
} as const;
export type StrandOrder = keyof typeof STRAND_ORDERS;

/** What wants doing first. */
const STATES = ['loose', 'placed', 'registered', 'excluded'];

const collator = new Intl.Collator('en', { numeric: true });

/** The tags of a strand: words of its note that begin with #, in small letters, each once. */
export function tagsOf({ note }: Pick<ScanView, 'note'>): string[] {
  const found = note.matchAll(/(?<![\p{L}\p{N}_#])#([\p{L}\p{N}_-]+)/gu);
  return [...new Set(Array.from(found, ([, tag]) => tag.toLowerCase()))];
}

/** All tags of some strands, by the alphabet. */
export function tagsIn(scans: readonly ScanView[]): string[] {
  return [...new Set(scans.flatMap(tagsOf))].sort(collator.compare);
}

/** Noise of a strand, mm; what is not known comes last. */
const noiseOf = ({ cloud }: ScanView): number => Number(cloud.facts.noise ?? -1);

/** The strands that have all the tags and whose name, note or setup holds the words, in the order wanted. */
export function orderedStrands(
  scans: readonly ScanView[],
  order: StrandOrder,
  words: string,
  tags: readonly string[] = [],
): ScanView[] {
  const wanted = words.trim().toLowerCase();
  const found = scans.filter((s) => {
    const own = tagsOf(s);
    return tags.every((t) => own.includes(t)) && `${s.name}\n${s.note}\n${s.setup}`.toLowerCase().includes(wanted);
  });
  const by: Record<StrandOrder, (a: ScanView, b: ScanView) => number> = {
    arrival: () => 0,
    name: (a, b) => collator.compare(a.name, b.name),
    points: (a, b) => Number(b.cloud.facts.points) - Number(a.cloud.facts.points),
    noise: (a, b) => noiseOf(b) - noiseOf(a),
    state: (a, b) => STATES.indexOf(a.placement.state) - STATES.indexOf(b.placement.state),
  };
  return found.sort(by[order]);
}
