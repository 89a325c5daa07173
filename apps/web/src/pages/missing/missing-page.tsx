import { Link } from 'react-router';
import { Header } from '../../shared/header';

/** An address that leads nowhere. */
export function MissingPage() {
  return (
    <>
      <Header trail={[{ label: 'Shelf', to: '/' }, { label: 'No such page' }]} />
      <main className="mx-auto max-w-xl p-6">
        <h1 className="m-0 text-xl font-semibold">There is no such page</h1>
        <p>The address may have been cut off, or the piece was taken off the shelf. Nothing was changed.</p>
        <Link to="/">To the shelf</Link>
      </main>
    </>
  );
}
