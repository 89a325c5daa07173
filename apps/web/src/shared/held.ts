/**
 * Holds what was made last, for as long as the same is asked for; for anything else it is made anew. What could not be made is
 * tried again when it is asked for again.
 */
export function held<Key extends string[], T>(make: (...key: Key) => Promise<T>): (...key: Key) => Promise<T> {
  let last: { key: string; made: Promise<T> } | undefined;
  return (...key) => {
    const asked = key.join(' ');
    if (last?.key !== asked) {
      const mine = { key: asked, made: make(...key) };
      last = mine;
      mine.made.catch(() => {
        if (last === mine) last = undefined;
      });
    }
    return last.made;
  };
}
