import type { FormEvent } from 'react';
import { useNavigate, useParams } from 'react-router';
import { accountsApi } from '../../api/accounts-api';
import { problemText } from '../../api/api';
import { Button, Notice, TextRow } from '../../shared/controls';
import { ROLE_WORDS } from '../../shared/role-words';
import { FrontCard } from './front-card';
import { NewPasswordRow } from '../../shared/new-password-row';

/** Where somebody who was invited chooses name and password, or a new password. */
export function InvitationPage() {
  const { token = '' } = useParams();
  const navigate = useNavigate();
  const { data, error } = accountsApi.useInvitationQuery(token);
  const [accept, { error: refused, isLoading }] = accountsApi.useAcceptInvitationMutation();
  if (error)
    return (
      <FrontCard title="Invitation">
        <Notice tone="error">{problemText(error)}</Notice>
      </FrontCard>
    );
  if (!data) return <FrontCard title="Invitation">Looking at it …</FrontCard>;
  const submit = async (e: FormEvent<HTMLFormElement>): Promise<void> => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    const name = data.name ? {} : { name: String(form.get('name')).trim() };
    await accept({ token, ...name, password: String(form.get('password')) }).unwrap();
    await navigate('/', { replace: true });
  };
  return (
    <FrontCard title={data.name ? `Welcome back, ${data.name}` : 'Welcome to the workshop'}>
      <p className="mb-4 mt-0 text-muted">
        {data.name
          ? 'Choose a new password. You are then signed out everywhere else.'
          : `You come in as ${data.role}: ${ROLE_WORDS[data.role]}.`}
      </p>
      <form onSubmit={(e) => void submit(e).catch(() => undefined)} className="flex flex-col gap-3">
        {!data.name && (
          <TextRow title="What others call you" name="name" autoComplete="username" required maxLength={80} autoFocus />
        )}
        <NewPasswordRow title="Password" />
        {refused && <Notice tone="error">{problemText(refused)}</Notice>}
        <Button tone="go" type="submit" disabled={isLoading}>
          {data.name ? 'Set the password' : 'Come in'}
        </Button>
      </form>
    </FrontCard>
  );
}
