import { lazy, Suspense, useEffect } from 'react';
import { Outlet } from 'react-router';
import { finderOpen } from '../../shared/finder-open';
import { useStore } from '../../shared/store';

// Fetched when somebody first looks for something.
const FinderDialog = lazy(async () => ({ default: (await import('./finder-dialog')).FinderDialog }));

/** All pages, with the finder over them: Ctrl K from anywhere. */
export function FinderShell() {
  const { open } = useStore(finderOpen);
  useEffect(() => {
    const onKey = (e: KeyboardEvent): void => {
      if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== 'k') return;
      e.preventDefault();
      finderOpen.set({ open: !finderOpen.current().open });
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
  return (
    <>
      <Outlet />
      {open && (
        <Suspense>
          <FinderDialog onClose={() => finderOpen.set({ open: false })} />
        </Suspense>
      )}
    </>
  );
}
