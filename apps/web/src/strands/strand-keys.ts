/** What a key does in the list of strands. */
export type StrandAction =
  | { kind: 'go'; to: string }
  /** Goes on and chooses what is passed. */
  | { kind: 'choose'; ids: readonly string[]; to: string }
  | { kind: 'toggle' | 'hide' | 'alone' | 'open' }
  | { kind: 'choose-all' | 'choose-none' };

export interface PressedKey {
  key: string;
  shiftKey: boolean;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
}

/**
 * The action of a key pressed on the strand `at` of those shown, in their order; undefined if the key has none. The list
 * is left and entered with Tab: within it the arrows go on.
 */
export function strandAction(e: PressedKey, shown: readonly string[], at: string): StrandAction | undefined {
  const index = shown.indexOf(at);
  if (index < 0 || e.altKey) return undefined;
  if (e.ctrlKey || e.metaKey) return e.key.toLowerCase() === 'a' ? { kind: 'choose-all' } : undefined;
  const goal = {
    ArrowDown: Math.min(shown.length - 1, index + 1),
    ArrowUp: Math.max(0, index - 1),
    Home: 0,
    End: shown.length - 1,
  }[e.key];
  if (goal !== undefined) {
    const to = shown[goal];
    if (!e.shiftKey) return { kind: 'go', to };
    return { kind: 'choose', ids: shown.slice(Math.min(index, goal), Math.max(index, goal) + 1), to };
  }
  switch (e.key) {
    case ' ':
      return { kind: 'toggle' };
    case 'h':
    case 'H':
      return { kind: 'hide' };
    case 'o':
    case 'O':
      return { kind: 'alone' };
    case 'F2':
      return { kind: 'open' };
    case 'Escape':
      return { kind: 'choose-none' };
    default:
      return undefined;
  }
}
