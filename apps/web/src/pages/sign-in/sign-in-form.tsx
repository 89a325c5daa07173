import type { FormEvent } from 'react';
import { accountsApi } from '../../api/accounts-api';
import { problemText } from '../../api/api';
import { Button, Notice, TextRow } from '../../shared/controls';

/** Name and password. Who asks what next is for whoever shows it. */
export function SignInForm({ name = '' }: { name?: string }) {
  const [signIn, { error, isLoading }] = accountsApi.useSignInMutation();
  const submit = (e: FormEvent<HTMLFormElement>): void => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    void signIn({ name: String(form.get('name')).trim(), password: String(form.get('password')) });
  };
  return (
    <form onSubmit={submit} className="flex flex-col gap-3">
      <TextRow
        title="Name"
        name="name"
        defaultValue={name}
        autoComplete="username"
        required
        maxLength={80}
        autoFocus={!name}
      />
      <TextRow
        title="Password"
        name="password"
        type="password"
        autoComplete="current-password"
        required
        maxLength={200}
        autoFocus={Boolean(name)}
      />
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      <Button tone="go" type="submit" disabled={isLoading}>
        Sign in
      </Button>
    </form>
  );
}
