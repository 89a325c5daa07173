import { useEffect, type ReactNode } from 'react';
import { Link } from 'react-router';
import { Search } from 'lucide-react';
import { Button, Mark, ThemeButton } from './controls';
import { finderOpen } from './finder-open';
import { pageTitle } from './page-title';
import { PersonMenu } from './person-menu';

/** Page head with the way back and the page's own actions. */
export function Header({ trail, children }: { trail: { label: string; to?: string }[]; children?: ReactNode }) {
  const last = trail[trail.length - 1]?.label;
  useEffect(() => {
    pageTitle.set({ place: last ?? '' });
  }, [last]);
  return (
    <header className="flex h-13 shrink-0 items-center gap-4 max-sm:h-auto max-sm:min-h-13 max-sm:flex-wrap max-sm:py-2 border-b border-line bg-panel px-4">
      <Link to="/" className="flex items-center gap-2 font-semibold text-ink no-underline">
        <Mark /> Amber Knit
      </Link>
      <nav aria-label="Where you are" className="flex min-w-0 items-center gap-2 text-muted">
        {trail.map((t, i) => (
          <span key={t.label} className="flex min-w-0 items-center gap-2">
            {i > 0 && <span aria-hidden>/</span>}
            {t.to ? (
              <Link to={t.to} className="truncate text-muted no-underline hover:underline">
                {t.label}
              </Link>
            ) : (
              <b className="truncate font-semibold text-ink" aria-current="page">
                {t.label}
              </b>
            )}
          </span>
        ))}
      </nav>
      <span className="flex-1" />
      {children}
      <Button
        tone="quiet"
        aria-label="Find"
        title="Find by words (Ctrl K)"
        onClick={() => finderOpen.set({ open: true })}
        className="px-2"
      >
        <Search size={17} />
      </Button>
      <ThemeButton />
      <PersonMenu />
    </header>
  );
}
