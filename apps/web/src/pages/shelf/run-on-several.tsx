import { useState } from 'react';
import { Link } from 'react-router';
import type { PieceSummary } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { Button, Check, Notice } from '../../shared/controls';
import { RecipePicker, type ChosenRecipe } from '../../shared/recipe-picker';
import { Modal } from '../../shared/modal';

/** Runs one recipe on several pieces, one after the other as hands are free. */
export function RunOnSeveral({
  pieces,
  open,
  onClose,
}: {
  pieces: readonly PieceSummary[];
  open: boolean;
  onClose(): void;
}) {
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [recipe, setRecipe] = useState<ChosenRecipe | null>(null);
  const [begun, setBegun] = useState<{ id: string; name: string; error?: string }[]>([]);
  const [follow, { isLoading }] = api.useFollowRecipeMutation();
  const able = pieces.filter((p) => p.scans > 0);
  const run = async () => {
    setBegun([]);
    for (const { id, name } of able.filter((p) => chosen.includes(p.id))) {
      // One that can't be begun does not keep the others.
      const error = await follow({ pieceId: id, recipe: recipe!.recipe })
        .unwrap()
        .then(() => undefined, problemText);
      setBegun((list) => [...list, { id, name, error }]);
    }
  };
  const toggle = (id: string) =>
    setChosen((list) => (list.includes(id) ? list.filter((x) => x !== id) : [...list, id]));
  return (
    <Modal title="Run a recipe" open={open} width="wide" onClose={onClose}>
      <p className="m-0 mb-3 text-muted">
        On each chosen piece, through ordinary steps. Where a person must judge it stops and asks on the piece’s guided
        run.
      </p>
      <div className="grid gap-5 sm:grid-cols-2">
        <section aria-label="Pieces">
          <h3 className="m-0 mb-1 text-sm font-semibold">Pieces with scans</h3>
          {able.length === 0 && <p className="m-0 text-muted">None yet: bring in scans first.</p>}
          {able.length > 1 && (
            <Check
              checked={able.every((p) => chosen.includes(p.id))}
              onChange={() => setChosen(able.every((p) => chosen.includes(p.id)) ? [] : able.map((p) => p.id))}
            >
              All {able.length}
            </Check>
          )}
          <ul className="m-0 flex list-none flex-col gap-1 p-0">
            {able.map((p) => (
              <li key={p.id}>
                <Check checked={chosen.includes(p.id)} onChange={() => toggle(p.id)}>
                  {p.name}
                </Check>
              </li>
            ))}
          </ul>
        </section>
        <section aria-label="Recipe">
          <h3 className="m-0 mb-1 text-sm font-semibold">Recipe</h3>
          <RecipePicker chosen={recipe} onChoose={setRecipe} />
        </section>
      </div>
      {begun.length > 0 && (
        <ul className="m-0 mt-3 list-none p-0" aria-label="Begun" role="status">
          {begun.map((b) => (
            <li key={b.id}>
              {b.error ? (
                <Notice tone="error">
                  {b.name}: {b.error}
                </Notice>
              ) : (
                <Link to={`/pieces/${b.id}/guided`} className="text-teal">
                  {b.name}: begun
                </Link>
              )}
            </li>
          ))}
        </ul>
      )}
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose}>Close</Button>
        <Button tone="go" disabled={!recipe || chosen.length === 0 || isLoading} onClick={() => void run()}>
          {chosen.length > 1 ? `Run on ${chosen.length} pieces` : 'Run'}
        </Button>
      </div>
    </Modal>
  );
}
