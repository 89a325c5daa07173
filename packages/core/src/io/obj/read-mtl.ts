/** What is read of a material: the picture of its diffuse colour, or the colour itself as sRGB bytes. */
export interface ObjMaterial {
  picture?: string;
  color?: [number, number, number];
}

/**
 * Materials of an MTL file by name: `map_Kd` (its options passed over) and `Kd`. Files in the wild write `Kd` as shown
 * on a screen, so it is taken as sRGB.
 * Source: D. Ramey, L. Rose, L. Tyerman (1995), MTL material format (Lightwave, OBJ).
 */
export function readMtl(text: string): Map<string, ObjMaterial> {
  const out = new Map<string, ObjMaterial>();
  let current: ObjMaterial | undefined;
  for (const line of text.split(/\r?\n/)) {
    const words = line.trim().split(/\s+/);
    if (words[0] === 'newmtl') {
      current = {};
      out.set(words.slice(1).join(' '), current);
    } else if (words[0] === 'Kd' && current) {
      const c = words.slice(1, 4).map((w) => Math.round(255 * Math.max(0, Math.min(1, Number(w) || 0))));
      if (c.length === 3) current.color = c as [number, number, number];
    } else if (words[0]?.toLowerCase() === 'map_kd' && current) {
      current.picture = pictureName(words.slice(1));
    }
  }
  return out;
}

/** How many values follow each option of a map. */
const OPTION_VALUES: Record<string, number> = { '-mm': 2, '-o': 3, '-s': 3, '-t': 3 };

/** The file's name after its options. A name may hold blanks. */
function pictureName(words: string[]): string {
  let at = 0;
  while (words[at]?.startsWith('-')) at += 1 + (OPTION_VALUES[words[at]] ?? 1);
  return words.slice(at).join(' ');
}
