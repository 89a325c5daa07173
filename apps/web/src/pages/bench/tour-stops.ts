/** A part of the bench, by a selector, and what it is for. */
interface Stop {
  at: string;
  title: string;
  text: string;
}

/** What a newcomer should know of the bench, in the order in which it is met. */
export const STOPS: readonly Stop[] = [
  {
    at: 'nav[aria-label="Stages"]',
    title: 'Work goes from left to right',
    text: 'A filled dot is done, an open one is not yet. What is out of date because something before it has changed says so.',
  },
  {
    at: 'aside[aria-label="Strands"]',
    title: 'Every scan is a strand',
    text: 'Hide one, show only one, choose several. Its card holds name, setup and note; the small curve is how its frames went.',
  },
  {
    at: '[aria-label^="3D view"]',
    title: 'The piece as it stands',
    text: 'Drag to turn, wheel or pinch to come closer, F to see all. The bar above it chooses colours and looks, measures and cuts sections.',
  },
  {
    at: 'aside[aria-label$=": operations"]',
    title: 'What can be done here',
    text: 'Values are suggested from the data and stay open to change. The book says what the stage is for, and what goes wrong most often.',
  },
  {
    at: 'div[data-tour="ledger"]',
    title: 'Everything is written down',
    text: 'The ledger holds every step with its values; any can be undone, and any version gone back to. Remarks are for whoever looks after you.',
  },
  {
    at: 'header button[aria-label="Find"]',
    title: 'Lost? Say it in your own words',
    text: 'Ctrl K finds what you want to do, from anywhere, and goes there.',
  },
];
