import { useParams } from 'react-router';
import { api } from '../../api/api';
import { Header } from '../../shared/header';
import { LedgerList } from '../../ledger/ledger-list';
import { MakeRecipe } from './make-recipe';

/** All steps of a piece. */
export function LedgerPage() {
  const { pieceId = '' } = useParams();
  const { data: piece } = api.usePieceQuery(pieceId);
  return (
    <div className="flex min-h-screen flex-col">
      <Header
        trail={[
          { label: 'Shelf', to: '/' },
          { label: piece?.name ?? 'Piece', to: `/pieces/${pieceId}` },
          { label: 'Ledger' },
        ]}
      />
      <main className="mx-auto w-full max-w-5xl p-6">
        <h1 className="m-0 mb-1 text-2xl font-semibold">Ledger</h1>
        <p className="mb-4 mt-0 text-muted">
          Every run with its parameters and figures. Nothing in it is overwritten; undo only moves the piece back.
        </p>
        <MakeRecipe pieceId={pieceId} />
        <LedgerList pieceId={pieceId} />
      </main>
    </div>
  );
}
