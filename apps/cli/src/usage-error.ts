/** The command line was used wrongly (exit code 2). */
export class UsageError extends Error {}

/** An input was refused (exit code 3). */
export class InputError extends Error {
  constructor(
    readonly input: string,
    message: string,
  ) {
    super(message);
  }
}

export const EXIT = { done: 0, failed: 1, usage: 2, input: 3, loose: 4 } as const;
