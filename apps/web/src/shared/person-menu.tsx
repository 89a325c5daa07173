import { useState, type FormEvent, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { KeyRound, LogOut, UserRound, Users } from 'lucide-react';
import { accountsApi } from '../api/accounts-api';
import { problemText } from '../api/api';
import { Button, Notice, TextRow } from './controls';
import { Modal } from './modal';
import { NewPasswordRow } from './new-password-row';

/** Who is signed in, and what they can do about it; nothing where nobody is asked. */
export function PersonMenu() {
  const { data } = accountsApi.useSessionQuery();
  const [signOut] = accountsApi.useSignOutMutation();
  const [changing, setChanging] = useState(false);
  const navigate = useNavigate();
  const person = data?.person;
  if (!person) return null;
  const leave = (where: 'here' | 'everywhere') => async () => {
    await signOut(where);
    // Nothing of what was shown stays in the page.
    window.location.assign('/');
  };
  return (
    <>
      <Menu>
        <MenuButton
          aria-label={`Signed in as ${person.name}`}
          className="inline-flex min-h-8 items-center gap-1.5 rounded-lg border border-line bg-panel px-2.5 py-1 text-ink hover:bg-sunk"
        >
          <UserRound size={16} aria-hidden /> <span className="max-w-32 truncate">{person.name}</span>
        </MenuButton>
        <MenuItems anchor="bottom end" className="z-20 mt-1 w-60 rounded-lg border border-line bg-panel p-1 shadow-lg">
          <p className="m-0 border-b border-line px-2 pb-1.5 pt-1 text-muted">
            {person.name}, {person.role}
          </p>
          {person.role === 'administrator' && (
            <Entry icon={<Users size={16} />} onClick={() => void navigate('/people')}>
              People
            </Entry>
          )}
          <Entry icon={<KeyRound size={16} />} onClick={() => setChanging(true)}>
            Change the password
          </Entry>
          <Entry icon={<LogOut size={16} />} onClick={() => void leave('here')()}>
            Sign out
          </Entry>
          <Entry icon={<LogOut size={16} />} onClick={() => void leave('everywhere')()}>
            Sign out everywhere
          </Entry>
        </MenuItems>
      </Menu>
      <PasswordDialog open={changing} onClose={() => setChanging(false)} />
    </>
  );
}

function Entry({ icon, onClick, children }: { icon: ReactNode; onClick(): void; children: ReactNode }) {
  return (
    <MenuItem>
      <button
        type="button"
        onClick={onClick}
        className="flex w-full items-center gap-2 rounded-md border-0 bg-transparent px-2 py-1.5 text-left text-ink data-focus:bg-sunk"
      >
        <span aria-hidden>{icon}</span>
        {children}
      </button>
    </MenuItem>
  );
}

function PasswordDialog({ open, onClose }: { open: boolean; onClose(): void }) {
  const [change, { error, isLoading, isSuccess, reset }] = accountsApi.useChangePasswordMutation();
  const close = (): void => {
    reset();
    onClose();
  };
  const submit = (e: FormEvent<HTMLFormElement>): void => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    void change({ old: String(form.get('old')), password: String(form.get('password')) });
  };
  return (
    <Modal title="Change the password" open={open} width="narrow" onClose={close}>
      {isSuccess ? (
        <>
          <Notice>It is changed. You are signed out everywhere else.</Notice>
          <div className="mt-4 flex justify-end">
            <Button onClick={close}>Close</Button>
          </div>
        </>
      ) : (
        <form onSubmit={submit} className="flex flex-col gap-3">
          <TextRow title="Old password" name="old" type="password" autoComplete="current-password" required />
          <NewPasswordRow title="New password" />
          {error && <Notice tone="error">{problemText(error)}</Notice>}
          <div className="flex justify-end gap-2">
            <Button onClick={close}>Cancel</Button>
            <Button tone="go" type="submit" disabled={isLoading}>
              Change it
            </Button>
          </div>
        </form>
      )}
    </Modal>
  );
}
