/** The name, or the first of "name 2", "name 3" … that no other scan has. */
export function freeName(wanted: string, taken: ReadonlySet<string>): string {
  let name = wanted;
  for (let k = 2; taken.has(name); k++) name = `${wanted} ${k}`;
  return name;
}
