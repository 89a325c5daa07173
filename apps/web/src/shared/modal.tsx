import type { ReactNode } from 'react';
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';

const WIDTHS = { narrow: 'max-w-sm', plain: 'max-w-md', wide: 'max-w-2xl', widest: 'max-w-3xl' };

/** A card over the page that wants an answer first; Escape and a click beside it close it. */
export function Modal({
  title,
  open = true,
  width = 'plain',
  onClose,
  children,
}: {
  title: ReactNode;
  open?: boolean;
  width?: keyof typeof WIDTHS;
  onClose(): void;
  children: ReactNode;
}) {
  return (
    <Dialog open={open} onClose={onClose} className="relative z-30 focus:outline-none">
      <div className="fixed inset-0 bg-black/40" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel
          className={`flex max-h-full w-full flex-col overflow-y-auto rounded-xl border border-line bg-panel p-5 ${WIDTHS[width]}`}
        >
          <DialogTitle className="m-0 mb-2 text-lg font-semibold">{title}</DialogTitle>
          {children}
        </DialogPanel>
      </div>
    </Dialog>
  );
}
