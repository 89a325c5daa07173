/** Colours of scans: one list that stays apart for colour-blind eyes, repeated after eight. */
const LIGHT = ['#b4690e', '#2f6f9f', '#7a5c99', '#5b7f3a', '#a34a5f', '#3d7f7a', '#8a7a2b', '#50607a'];
const DARK = ['#e5a04a', '#79b3df', '#b99bd6', '#9cc276', '#e08fa2', '#7fc4bd', '#cdbb62', '#9fb0cc'];

/** How many colours there are. */
export const STRAND_COLORS = LIGHT.length;

export function strandColor(index: number): string {
  return (document.documentElement.dataset.theme === 'dark' ? DARK : LIGHT)[index % LIGHT.length];
}
