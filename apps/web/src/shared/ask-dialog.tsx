import type { ReactNode } from 'react';
import { Button } from './controls';
import { Modal } from './modal';

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
    <Modal title={title} open={open} onClose={onClose}>
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
    </Modal>
  );
}
