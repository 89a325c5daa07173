import { useEffect, useRef } from 'react';
import { Outlet } from 'react-router';
import type { SignedIn } from '@amber-knit/contracts';
import { accountsApi } from '../../api/accounts-api';
import { listenToServer } from '../../api/server-events';
import { store } from '../../app/store';
import { SignInForm } from './sign-in-form';
import { SignInPage } from './sign-in-page';
import { Modal } from '../../shared/modal';

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
      <Modal title="Sign in to go on" open={closed} width="narrow" onClose={() => undefined}>
        <p className="mb-3 mt-0 text-muted">Your session has ended. What is on this page stays as it is.</p>
        <SignInForm name={before.current?.name} />
      </Modal>
    </>
  );
}
