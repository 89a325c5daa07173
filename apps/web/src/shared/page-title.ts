import { Settings } from './store';

/** What the browser's tab says: what is done now or has been done while nobody looked, and where one is. */
export const pageTitle = new Settings<{ place: string; work: string | null }>({ place: '', work: null });

export const titleText = ({ place, work }: { place: string; work: string | null }): string =>
  [work, place, 'Amber Knit'].filter(Boolean).join(' – ');

pageTitle.subscribe(() => (document.title = titleText(pageTitle.current())));
