/** A named chain of operations; `set` overrides suggested values. */
export interface Recipe {
  name: string;
  title: string;
  steps: { operation: string; set?: Record<string, unknown> }[];
}

export const RECIPES: Recipe[] = [
  {
    name: 'standard',
    title: 'From loose scans to one coloured, watertight mesh',
    steps: [
      { operation: 'clean.support' },
      { operation: 'clean.strays' },
      { operation: 'register.automatic' },
      { operation: 'fuse.surface' },
      { operation: 'mend.all' },
      { operation: 'mend.reduce', set: { triangles: 200_000 } },
      { operation: 'texture.map' },
    ],
  },
];
