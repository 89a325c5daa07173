import { useState } from 'react';
import { BookCopy } from 'lucide-react';
import { api, problemText } from '../../api/api';
import { Button, Notice } from '../../shared/controls';
import { saveAs } from '../../shared/save-as';

/** Saves what was done to a piece as a recipe for others, and says what of it no other piece can repeat. */
export function MakeRecipe({ pieceId }: { pieceId: string }) {
  const [ask, { isFetching }] = api.useLazyMadeRecipeQuery();
  const [told, setTold] = useState<{ tone: 'info' | 'error'; text: string } | null>(null);
  const make = async () => {
    try {
      const { recipe, notRepeated } = await ask(pieceId).unwrap();
      if (recipe.steps.length === 0)
        return setTold({ tone: 'info', text: 'Nothing was done to this piece yet that could be repeated.' });
      saveAs(
        new TextEncoder().encode(JSON.stringify(recipe, undefined, 1)),
        `${recipe.name} recipe.json`,
        'application/json',
      );
      const left =
        notRepeated.length > 0 ? ` Left out, for it hangs on what was chosen here: ${notRepeated.join(', ')}.` : '';
      setTold({
        tone: 'info',
        text: `Saved ${recipe.steps.length} ${recipe.steps.length === 1 ? 'operation' : 'operations'}. Values set by hand are kept, all others are suggested anew for each piece.${left}`,
      });
    } catch (e) {
      setTold({ tone: 'error', text: problemText(e) });
    }
  };
  return (
    <div className="mb-4 flex flex-col items-start gap-2">
      <Button disabled={isFetching} onClick={() => void make()}>
        <BookCopy size={15} /> Make a recipe of this
      </Button>
      {told && (
        <div role="status">
          <Notice tone={told.tone}>{told.text}</Notice>
        </div>
      )}
    </div>
  );
}
