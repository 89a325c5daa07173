import type { ReactNode } from 'react';

/** A question with its answers. */
export function Question({ title, help, children }: { title: string; help?: string; children: ReactNode }) {
  return (
    <fieldset className="m-0 min-w-0 border-0 p-0">
      <legend className="mb-2 p-0 font-semibold">
        {title} {help && <span className="font-normal text-muted">{help}</span>}
      </legend>
      {children}
    </fieldset>
  );
}

/** An answer to choose, one or many of a group. */
export function Card({
  group,
  on,
  many = false,
  wide = false,
  onChoose,
  children,
}: {
  group: string;
  on: boolean;
  many?: boolean;
  wide?: boolean;
  onChoose(): void;
  children: ReactNode;
}) {
  return (
    <label
      className={`flex cursor-pointer items-center gap-2 rounded-lg border px-2 py-2 has-focus-visible:outline-2 has-focus-visible:outline-teal ${
        wide ? '' : 'flex-col text-center'
      } ${on ? 'border-amber bg-amber-soft font-semibold' : 'border-line bg-panel'}`}
    >
      <input type={many ? 'checkbox' : 'radio'} name={group} checked={on} onChange={onChoose} className="sr-only" />
      {children}
    </label>
  );
}
