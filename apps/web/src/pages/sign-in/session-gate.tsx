import { useEffect, useRef } from 'react';
import { Outlet } from 'react-router';
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import type { SignedIn } from '@amber-knit/contracts';
import { accountsApi } from '../../api/accounts-api';
import { listenToServer } from '../../api/server-events';
import { store } from '../../app/store';
import { SignInForm } from './sign-in-form';
import { SignInPage } from './sign-in-page';

/**
 * All pages, for whoever may see them. Where a session ends while a page is open, the page stays as it is behind the question:
 * what was begun on it goes on after signing in again.
 */
export function SessionGate() {
  const { data } = accountsApi.useSessionQuery();
  const before = useRef<SignedIn>(undefined);
  const closed = data?.accounts === true && data.person === null;
  const here = data?.person?.id;
  useEffect(() => {
    if (!data || closed) return;
    // Somebody else has other rights and other work: they begin anew.
    if (before.current && here && before.current.id !== here) window.location.reload();
    before.current = data.person ?? undefined;
  }, [data, closed, here]);
  const known = data !== undefined;
  useEffect(
    () => (known && !closed ? listenToServer((action) => store.dispatch(action as never)) : undefined),
    [known, closed, here],
  );
  if (closed && !before.current) return <SignInPage />;
  return (
    <>
      <Outlet />
      <Dialog open={closed} onClose={() => undefined} className="relative z-30">
        <div className="fixed inset-0 bg-black/40" aria-hidden />
        <div className="fixed inset-0 flex items-center justify-center p-4">
          <DialogPanel className="w-full max-w-sm rounded-xl border border-line bg-panel p-5">
            <DialogTitle className="m-0 mb-1 text-lg font-semibold">Sign in to go on</DialogTitle>
            <p className="mb-3 mt-0 text-muted">Your session has ended. What is on this page stays as it is.</p>
            <SignInForm name={before.current?.name} />
          </DialogPanel>
        </div>
      </Dialog>
    </>
  );
}
