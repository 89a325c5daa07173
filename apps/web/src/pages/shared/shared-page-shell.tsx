import { lazy, Suspense, useEffect, useState } from 'react';
import { Button, Mark, Notice, ThemeButton } from '../../shared/controls';
import { FirstPicture } from './first-picture';
import { askForPage, givePassword, type Asked } from './shared-api';

// The 3D view comes after the first picture.
const SharedStage = lazy(async () => ({ default: (await import('./shared-stage')).SharedStage }));

/** A shared view from the outside: asks for it, for its password where it wants one, and says when there is none. */
export function SharedPageShell({ token }: { token: string }) {
  const [asked, setAsked] = useState<Asked | null>(null);
  useEffect(() => void askForPage(token).then(setAsked), [token]);
  const page = asked?.state === 'open' ? asked.page : null;
  useEffect(() => {
    if (page) document.title = page.title;
  }, [page]);
  return (
    <div className="flex h-dvh flex-col overflow-hidden">
      <header className="flex min-h-13 shrink-0 items-center gap-3 border-b border-line bg-panel px-4 py-1.5">
        <Mark />
        <div className="min-w-0 flex-1">
          <h1 className="m-0 truncate text-base font-semibold">{page?.title ?? 'Shared view'}</h1>
          {page?.note && <p className="m-0 truncate text-muted">{page.note}</p>}
        </div>
        <ThemeButton />
      </header>
      {page && (
        <Suspense
          fallback={
            <main className="relative min-h-0 flex-1">
              <FirstPicture token={token} pictures={page.pictures} />
            </main>
          }
        >
          <SharedStage token={token} page={page} />
        </Suspense>
      )}
      {asked && !page && (
        <main className="mx-auto w-full max-w-md p-6">
          {asked.state === 'locked' && (
            <PasswordForm token={token} onOpen={() => void askForPage(token).then(setAsked)} />
          )}
          {asked.state === 'gone' && (
            <>
              <h2 className="m-0 text-lg font-semibold">There is nothing here</h2>
              <p>The link may have been cut off, or it has ended. Ask whoever sent it for a new one.</p>
            </>
          )}
          {asked.state === 'failed' && <Notice tone="error">{asked.words}</Notice>}
        </main>
      )}
    </div>
  );
}

function PasswordForm({ token, onOpen }: { token: string; onOpen(): void }) {
  const [password, setPassword] = useState('');
  const [fault, setFault] = useState<string | null>(null);
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void givePassword(token, password).then((words) => (words === undefined ? onOpen() : setFault(words)));
      }}
    >
      <label className="flex flex-col gap-1">
        This view asks for a password
        <input
          type="password"
          autoFocus
          autoComplete="current-password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
          className="rounded-lg border border-[var(--field)] bg-panel px-2 py-1.5 text-ink"
        />
      </label>
      {fault && <Notice tone="error">{fault}</Notice>}
      <Button type="submit" tone="go" disabled={password === ''}>
        Open
      </Button>
    </form>
  );
}
