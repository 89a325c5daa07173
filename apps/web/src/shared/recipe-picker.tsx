import { useRef, useState } from 'react';
import { FileUp } from 'lucide-react';
import type { Recipe } from '@amber-knit/contracts';
import { api } from '../api/api';
import { Button, Notice } from './controls';

/** A recipe as it was chosen: one that comes with the program, or a file. */
export interface ChosenRecipe {
  title: string;
  recipe: unknown;
}

/** Chooses a recipe; whether one from a file is sound is told by the server when it is run. */
export function RecipePicker({
  chosen,
  onChoose,
}: {
  chosen: ChosenRecipe | null;
  onChoose(recipe: ChosenRecipe): void;
}) {
  const { data: shipped = [] } = api.useRecipesQuery();
  const [fault, setFault] = useState('');
  const chooser = useRef<HTMLInputElement>(null);
  const read = async (file: File) => {
    try {
      const recipe = JSON.parse(await file.text()) as Partial<Recipe>;
      setFault('');
      onChoose({ title: recipe.title || recipe.name || file.name, recipe });
    } catch {
      setFault(`${file.name} is no JSON. A recipe is a JSON file, such as Ledger saves.`);
    }
  };
  return (
    <fieldset className="relative m-0 flex flex-col gap-1 border-0 p-0">
      <legend className="sr-only">Recipe</legend>
      {shipped.map((r) => (
        <label key={r.name} className="flex min-h-[24px] items-start gap-2">
          <input
            type="radio"
            name="recipe"
            checked={chosen?.title === r.title}
            onChange={() => onChoose({ title: r.title, recipe: r })}
            className="mt-1 accent-[var(--amber)]"
          />
          {r.title}
        </label>
      ))}
      {chosen && !shipped.some((r) => r.title === chosen.title) && (
        <label className="flex min-h-[24px] items-start gap-2">
          <input type="radio" name="recipe" checked readOnly className="mt-1 accent-[var(--amber)]" />
          {chosen.title}
        </label>
      )}
      <input
        ref={chooser}
        type="file"
        accept=".json,application/json"
        aria-label="Recipe file"
        className="hidden"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) void read(file);
          e.target.value = '';
        }}
      />
      <Button className="mt-1" onClick={() => chooser.current?.click()}>
        <FileUp size={15} /> From a file
      </Button>
      {fault && <Notice tone="error">{fault}</Notice>}
    </fieldset>
  );
}
