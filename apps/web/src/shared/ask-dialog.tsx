import type { ReactNode } from 'react';
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { Button } from './controls';

/** Asks before something that can't be undone. */
export function AskDialog({
  title,
  open,
  yes,
  no,
  children,
  onYes,
  onClose,
}: {
  title: string;
  open: boolean;
  yes: string;
  no: string;
  children: ReactNode;
  onYes(): void;
  onClose(): void;
}) {
  return (
    <Dialog open={open} onClose={onClose} className="relative z-20">
      <div className="fixed inset-0 bg-black/40" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className="w-full max-w-md rounded-xl border border-line bg-panel p-5">
          <DialogTitle className="m-0 mb-2 text-lg font-semibold">{title}</DialogTitle>
          <p className="m-0">{children}</p>
          <div className="mt-4 flex justify-end gap-2">
            <Button onClick={onClose}>{no}</Button>
            <Button
              tone="go"
              onClick={() => {
                onYes();
                onClose();
              }}
            >
              {yes}
            </Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
