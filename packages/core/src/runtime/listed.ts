/** Names in a sentence, at most three spelt out: "a, b and c", "a, b and 5 more". */
export function listed(names: readonly string[]): string {
  if (names.length > 3) return `${names.slice(0, 2).join(', ')} and ${names.length - 2} more`;
  return names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}`;
}
