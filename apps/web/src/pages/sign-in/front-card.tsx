import { useEffect, type ReactNode } from 'react';
import { Mark, ThemeButton } from '../../shared/controls';

/** A page with one card on it, for whoever is not in yet. */
export function FrontCard({ title, children }: { title: string; children: ReactNode }) {
  useEffect(() => {
    document.title = `${title} – Amber Knit`;
  }, [title]);
  return (
    <main className="grid min-h-screen place-items-center p-4">
      <div className="w-full max-w-sm">
        <p className="m-0 mb-4 flex items-center gap-2 text-lg font-semibold">
          <Mark /> Amber Knit
          <span className="flex-1" />
          <ThemeButton />
        </p>
        <section className="rounded-xl border border-line bg-panel p-6">
          <h1 className="m-0 mb-1 text-xl font-semibold">{title}</h1>
          {children}
        </section>
      </div>
    </main>
  );
}
