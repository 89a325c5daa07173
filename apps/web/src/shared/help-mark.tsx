import type { ReactNode } from 'react';
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { CircleHelp } from 'lucide-react';

/** A question mark beside a label, with the answer on a click, a touch or by keyboard. */
export function HelpMark({ about, children }: { about: string; children: ReactNode }) {
  return (
    <Popover as="span" className="inline-flex align-middle">
      <PopoverButton
        aria-label={`Help: ${about}`}
        className="inline-flex rounded-full border-0 bg-transparent p-0.5 text-muted hover:text-ink"
      >
        <CircleHelp size={14} aria-hidden />
      </PopoverButton>
      <PopoverPanel
        anchor={{ to: 'bottom', padding: 8 }}
        className="z-20 mt-1 w-64 rounded-lg border border-line bg-panel px-3 py-2 text-left font-normal text-ink shadow-lg"
      >
        {children}
      </PopoverPanel>
    </Popover>
  );
}
