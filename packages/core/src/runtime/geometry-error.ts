/** The closed list of what can go wrong in core; callers map codes to exit codes, HTTP states and advice. */
export type GeometryErrorCode =
  | 'empty-input'
  | 'corrupt-file'
  | 'unsupported-format'
  | 'not-manifold'
  | 'degenerate'
  | 'too-large'
  | 'invalid-parameter'
  | 'unit-doubtful'
  | 'cancelled';

/** An expected failure of core. Its message names what is wrong, with numbers, and what to do about it. */
export class GeometryError extends Error {
  constructor(
    readonly code: GeometryErrorCode,
    message: string,
    /** Figures behind it, for an interface that can ask instead of only saying no. */
    readonly facts: Readonly<Record<string, number>> = {},
  ) {
    super(message);
    this.name = 'GeometryError';
  }
}
