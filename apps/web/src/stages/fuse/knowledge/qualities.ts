import { NO_ANGLE, type VertexKnowledge } from '@amber-knit/core/geometry';
import { lengthText } from '@amber-knit/operations/quantity-text';

/** One thing by which it can be told how well a place of the surface was measured. */
export interface Quality {
  title: string;
  help: string;
  unit: string;
  /** Of a vertex; NaN where nothing is known. Undefined if the surface does not know it at all. */
  of(known: VertexKnowledge): ((vertex: number) => number) | undefined;
  /** Which side of the limit is the worse. */
  worse: 'above' | 'below';
  /** Limit to begin with, where it does not follow from the values. */
  limit?: number;
  /** Upper end of the scale, where it does not follow from the values. */
  end?: number;
  step: number;
  text(value: number): string;
  /** What lies on the wrong side, for a sentence. */
  beyond(limit: string): string;
}

const lengths =
  (name: 'expectedError' | 'residual' | 'bestDistance') =>
  (known: VertexKnowledge): ((vertex: number) => number) | undefined => {
    const values = known[name];
    return values && ((v) => values[v]);
  };

export const QUALITIES = {
  error: {
    title: 'Expected error',
    help: 'How far the surface is expected to lie off the true one, one standard deviation. It follows from the spread of the points, their number and their angles.',
    unit: 'mm',
    of: lengths('expectedError'),
    worse: 'above',
    step: 0.005,
    text: lengthText,
    beyond: (limit) => `expected to be off by more than ${limit}`,
  },
  scans: {
    title: 'Number of scans',
    help: 'How many scans measured the place. What a single scan saw nothing else vouches for.',
    unit: '',
    of: ({ scanCount }) => scanCount && ((v) => scanCount[v] || NaN),
    worse: 'below',
    limit: 2,
    end: 8,
    step: 1,
    text: (n) => (n === 1 ? '1 scan' : `${n} scans`),
    beyond: (limit) => `measured by fewer than ${limit}`,
  },
  angle: {
    title: 'Best angle',
    help: 'Angle of the squarest view of the place, from straight on. What was only seen flat is measured badly.',
    unit: '°',
    of: ({ bestAngle }) => bestAngle && ((v) => (bestAngle[v] === NO_ANGLE ? NaN : bestAngle[v])),
    worse: 'above',
    limit: 60,
    end: 90,
    step: 5,
    text: (a) => `${Math.round(a)}°`,
    beyond: (limit) => `seen flatter than ${limit}`,
  },
  residual: {
    title: 'Spread of the points',
    help: 'How far the measured points lie off the surface at the place, one standard deviation. Much spread means noise, or scans that contradict each other.',
    unit: 'mm',
    of: lengths('residual'),
    worse: 'above',
    step: 0.01,
    text: lengthText,
    beyond: (limit) => `with points spread by more than ${limit}`,
  },
  distance: {
    title: 'Sensor distance',
    help: 'How far the sensor stood away in the squarest view of the place.',
    unit: 'mm',
    of: lengths('bestDistance'),
    worse: 'above',
    step: 10,
    text: lengthText,
    beyond: (limit) => `seen from farther than ${limit}`,
  },
} satisfies Record<string, Quality>;
export type QualityId = keyof typeof QUALITIES;

export const QUALITY_IDS = Object.keys(QUALITIES) as QualityId[];

export const qualityOf = (id: QualityId): Quality => QUALITIES[id];

/** Does a value lie on the wrong side of a limit? Unknown values do not. */
export const isBeyond = ({ worse }: Quality, value: number, limit: number): boolean =>
  worse === 'above' ? value > limit : value < limit;
