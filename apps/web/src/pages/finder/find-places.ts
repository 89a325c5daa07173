import MiniSearch from 'minisearch';
import { stemmer } from 'stemmer';
import type { ArtifactKind, OperationView, Stage } from '@amber-knit/contracts';
import { stageOf, STAGES } from '../../app/stages';
import { PLACES } from '../../stages/places';

/** Something that can be gone to. */
export interface Entry {
  title: string;
  help: string;
  /** What else people call it. */
  words: string;
  /** What it asks for. */
  fields: string;
  stage: Stage | null;
  /** Where it is, for a person. */
  where: string;
  /** Below the address of the piece; null: wherever one is in it. */
  path: string | null;
  needs: readonly ArtifactKind[];
}

const STAGE = 'Stage';
const benchPath = (stage: Stage, at?: string): string => `/bench/${stage}${at ? `?at=${encodeURIComponent(at)}` : ''}`;
const whereOf = (stage: Stage): string => stageOf(stage)!.name;

/** Places of a piece that lie at no stage. */
const OF_PIECE: readonly Pick<Entry, 'title' | 'help' | 'words' | 'path'>[] = [
  {
    title: 'Ledger',
    help: 'Every step that was run, by whom, with its values and figures.',
    words: 'history log who did what when steps',
    path: '/ledger',
  },
  {
    title: 'Recipe',
    help: 'Makes a recipe of what was done here, to do the same to other pieces.',
    words: 'same again batch macro template preset workflow other object',
    path: '/ledger',
  },
  {
    title: 'Guided run',
    help: 'Makes the model by itself from a few plain answers, and stops only where a person must judge.',
    words: 'do it all everything automatic automatically wizard assistant for me',
    path: '/guided',
  },
  {
    title: 'Knit chart',
    help: 'One picture of the whole piece: its scans through all stages, with the key figures.',
    words: 'overview status progress',
    path: '',
  },
  {
    title: 'Look round the bench',
    help: 'Shows a newcomer what stands where, in six steps.',
    words: 'tour introduction new beginner start first time tutorial how does this work',
    path: '/bench/clean?tour',
  },
  {
    title: 'Undo',
    help: 'Goes back by one step, forward again, or to any version: Ctrl Z, Ctrl Shift Z, the list of versions above the bench.',
    words: 'redo back revert previous version mistake take back restore',
    path: null,
  },
];

/** All that can be found of a piece: stages, parts of their panels, operations with a form, and the rest. */
export function entriesOf(operations: readonly OperationView[]): Entry[] {
  const forms = operations.filter((o) => !o.byHand && !o.needs.includes('file'));
  return [
    ...forms.map(({ title, help, words, stage, needs, fields }): Entry => ({
      title,
      help,
      words,
      fields: fields.map((f) => `${f.title} ${f.help}`).join(' '),
      stage,
      where: whereOf(stage),
      path: benchPath(stage, title),
      needs,
    })),
    ...PLACES.map(({ stage, title, region, help, words = '', needs = [] }): Entry => ({
      title,
      help,
      words,
      fields: '',
      stage,
      where: whereOf(stage),
      path: benchPath(stage, region ?? title),
      needs,
    })),
    ...STAGES.map(({ id: stage, name, guide, words = '' }): Entry => ({
      title: name,
      help: guide,
      words,
      fields: '',
      stage,
      where: 'Stage',
      path: benchPath(stage),
      needs: [],
    })),
    ...OF_PIECE.map((e): Entry => ({ ...e, fields: '', stage: null, where: 'Piece', needs: [] })),
  ];
}

/** Words that say nothing of what is looked for. */
const EMPTY = new Set(
  'a an and are as at be by can could do does for from get have how i if in is it its me my of on or so that the there this to want what when where which who why will with you'.split(
    ' ',
  ),
);

/** Every form of a word is one (M. F. Porter, 1980, An algorithm for suffix stripping). */
const rootOf = (word: string): string | null => {
  const lower = word.toLowerCase();
  return EMPTY.has(lower) || lower.length < 2 ? null : stemmer(lower);
};

/**
 * Finds places by what somebody calls them. Rare words count more than common ones (S. Robertson, H. Zaragoza, 2009, The
 * probabilistic relevance framework: BM25 and beyond); beginnings and slips of the finger count a little.
 */
export class PlaceFinder {
  private readonly index: MiniSearch;

  constructor(private readonly entries: readonly Entry[]) {
    this.index = new MiniSearch({
      fields: ['title', 'words', 'help', 'fields'],
      processTerm: rootOf,
      searchOptions: {
        boost: { title: 4, words: 3, help: 1, fields: 0.3 },
        prefix: (term) => term.length > 2,
        fuzzy: (term) => (term.length > 4 ? 0.2 : false),
        // A stage as a whole is where to look if nothing better is known.
        boostDocument: (id) => (entries[id as number].where === STAGE ? 0.4 : 1),
      },
    });
    this.index.addAll(entries.map((e, id) => ({ ...e, id })));
  }

  /** The best first; none for a question without a word that is known. */
  find(question: string, most = 8): Entry[] {
    return this.index
      .search(question)
      .slice(0, most)
      .map(({ id }) => this.entries[id as number]);
  }
}
