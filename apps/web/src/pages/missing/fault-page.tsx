import { Link, useRouteError } from 'react-router';
import { Button } from '../../shared/controls';

/** A fault of ours in a page: said, with ways on. What was done is on the server. */
export function FaultPage() {
  const fault = useRouteError();
  const said = fault instanceof Error ? fault.message : String(fault);
  // A page that was opened before an update asks for files that are no longer there.
  const outOfDate = /dynamically imported module|module script/i.test(said);
  return (
    <main className="mx-auto max-w-xl p-6">
      <h1 className="m-0 text-xl font-semibold">{outOfDate ? 'A newer version is there' : 'This page has a fault'}</h1>
      <p>
        {outOfDate
          ? 'Load the page again to use it.'
          : 'Load it again; if that does not help, tell us what you did before, with the line below.'}{' '}
        What you have done so far is stored.
      </p>
      {!outOfDate && <p className="num rounded-lg bg-sunk px-3 py-2">{said}</p>}
      <p className="flex items-center gap-4">
        <Button tone="go" onClick={() => window.location.reload()}>
          Load again
        </Button>
        <Link to="/">To the shelf</Link>
      </p>
    </main>
  );
}
