/** How a surface treats light; shares from 0 to 1. */
export interface Material {
  /** Mirror-like reflection on top of the diffuse one, as of a glaze. */
  gloss: number;
  /** Of the light that is not glossed off, thrown on like a mirror does: a scanner gets nothing back from it. */
  mirror: number;
  /** Of what is left, let through: the scanner sees what lies behind, bent. */
  clear: number;
}

export const MATT: Material = { gloss: 0, mirror: 0, clear: 0 };
export const glossy = (gloss: number): Material => ({ ...MATT, gloss });
/** Polished metal. */
export const POLISHED: Material = { gloss: 0.9, mirror: 0.92, clear: 0 };
export const GLASS: Material = { gloss: 0.7, mirror: 0.3, clear: 0.9 };
