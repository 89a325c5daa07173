import { useId, useState, type ReactNode } from 'react';
import { ChevronDown, ChevronRight } from 'lucide-react';

/** Part of a panel that opens when its title is pressed. */
export function Fold({ title, children }: { title: string; children: ReactNode }) {
  const [open, setOpen] = useState(false);
  const id = useId();
  return (
    <div className="mt-2">
      <button
        type="button"
        aria-expanded={open}
        aria-controls={open ? id : undefined}
        onClick={() => setOpen(!open)}
        className="flex w-full items-center gap-1 border-0 bg-transparent p-0 text-left text-ink"
      >
        {open ? <ChevronDown size={16} /> : <ChevronRight size={16} />} {title}
      </button>
      {open && (
        <div id={id} className="mt-1.5 flex flex-col gap-1.5">
          {children}
        </div>
      )}
    </div>
  );
}
