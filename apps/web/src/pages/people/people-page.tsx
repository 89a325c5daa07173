import { useState } from 'react';
import { formatDistanceToNow } from 'date-fns';
import { Link2, X } from 'lucide-react';
import { ROLES, type InvitationView, type NewInvitation, type PersonView, type Role } from '@amber-knit/contracts';
import { accountsApi, useWhyNot } from '../../api/accounts-api';
import { problemText } from '../../api/api';
import { AskDialog } from '../../shared/ask-dialog';
import { Button, IconButton, Notice } from '../../shared/controls';
import { Header } from '../../shared/header';
import { ROLE_WORDS } from '../../shared/role-words';

const FIELD = 'rounded-lg border border-[var(--field)] bg-panel px-1.5 py-1 text-ink';

/** Who may come in, as what, and the links under which others do. */
export function PeoplePage() {
  const why = useWhyNot('manage');
  const { data: people, error } = accountsApi.usePeopleQuery();
  const { data: invitations = [] } = accountsApi.useInvitationsQuery();
  const [change, { error: refused }] = accountsApi.useChangePersonMutation();
  const [invite, { error: notInvited }] = accountsApi.useInviteMutation();
  const [link, setLink] = useState<NewInvitation | null>(null);
  const [ending, setEnding] = useState<PersonView | null>(null);
  const fault = refused ?? notInvited ?? (why ? undefined : error);
  const make = async (role: Role, person?: string): Promise<void> => {
    const { data } = await invite({ role, ...(person ? { person } : {}) });
    if (data) setLink(data);
  };
  return (
    <div className="flex min-h-screen flex-col">
      <Header trail={[{ label: 'Shelf', to: '/' }, { label: 'People' }]} />
      <main className="mx-auto flex w-full max-w-5xl flex-col gap-6 p-6">
        <div>
          <h1 className="m-0 text-2xl font-semibold">People</h1>
          <p className="m-0 text-muted">Who may come in, and as what. What somebody did stays in the ledgers.</p>
        </div>
        {why && <Notice>{why}</Notice>}
        {fault && <Notice tone="error">{problemText(fault)}</Notice>}
        {people && (
          <section className="overflow-x-auto rounded-xl border border-line bg-panel px-4 py-2">
            <table className="w-full border-collapse text-left">
              <thead className="text-muted">
                <tr>
                  {['Name', 'Role', 'Pieces of their own', 'Signed in', ''].map((title) => (
                    <th key={title} className="py-1.5 pr-4 font-medium">
                      {title}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {people.map((p) => (
                  <tr key={p.id} className="border-t border-line">
                    <th scope="row" className="py-2 pr-4 font-semibold">
                      {p.name}
                      {p.ended && <span className="font-normal text-muted"> (ended)</span>}
                    </th>
                    <td className="py-2 pr-4">
                      <select
                        aria-label={`Role of ${p.name}`}
                        value={p.role}
                        disabled={p.ended}
                        onChange={(e) => void change({ id: p.id, role: e.target.value as Role })}
                        className={FIELD}
                      >
                        {ROLES.map((role) => (
                          <option key={role}>{role}</option>
                        ))}
                      </select>
                    </td>
                    <td className="num py-2 pr-4">{p.pieces}</td>
                    <td className="py-2 pr-4 text-muted">{whenSeen(p)}</td>
                    <td className="py-2">
                      <span className="flex justify-end gap-1">
                        {p.ended ? (
                          <Button onClick={() => void change({ id: p.id, ended: false })}>Open again</Button>
                        ) : (
                          <>
                            <Button onClick={() => void make(p.role, p.id)}>New password</Button>
                            <Button onClick={() => setEnding(p)}>End …</Button>
                          </>
                        )}
                      </span>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
        )}
        {!why && <Invite invitations={invitations} link={link} onInvite={(role) => void make(role)} />}
      </main>
      <AskDialog
        title={`End the account of ${ending?.name}?`}
        open={ending !== null}
        yes="End it"
        no="Keep it"
        onYes={() => ending && void change({ id: ending.id, ended: true })}
        onClose={() => setEnding(null)}
      >
        {ending?.name} is signed out everywhere at once and can’t come in again until somebody opens the account.
        Nothing that was made is lost
        {ending && ending.pieces > 0 && '; pieces of their own can be given to others on the shelf by an administrator'}
        .
      </AskDialog>
    </div>
  );
}

function whenSeen({ sessions, lastSeenAt }: PersonView): string {
  if (sessions === 0 || !lastSeenAt) return 'nowhere';
  const places = sessions === 1 ? 'in one place' : `in ${sessions} places`;
  return `${places}, seen ${formatDistanceToNow(new Date(lastSeenAt), { addSuffix: true })}`;
}

/** Makes links, and lists those that nobody has taken yet. */
function Invite({
  invitations,
  link,
  onInvite,
}: {
  invitations: readonly InvitationView[];
  link: NewInvitation | null;
  onInvite(role: Role): void;
}) {
  const [role, setRole] = useState<Role>('technician');
  const [takeBack] = accountsApi.useTakeBackInvitationMutation();
  const open = link && invitations.some((i) => i.id === link.id);
  return (
    <section className="rounded-xl border border-line bg-panel p-4">
      <h2 className="m-0 text-base font-semibold">Invite somebody</h2>
      <p className="mb-3 mt-1 text-muted">
        You get a link to hand over. It is good for one person and seven days; they choose name and password themselves.
      </p>
      <div className="flex flex-wrap items-center gap-2">
        <select
          aria-label="They come in as"
          value={role}
          onChange={(e) => setRole(e.target.value as Role)}
          className={FIELD}
        >
          {ROLES.map((r) => (
            <option key={r}>{r}</option>
          ))}
        </select>
        <Button tone="go" onClick={() => onInvite(role)}>
          <Link2 size={16} aria-hidden /> Make a link
        </Button>
        <span className="text-muted">
          A {role} {ROLE_WORDS[role]}.
        </span>
      </div>
      {open && <LinkToHandOver invitation={link} />}
      {invitations.length > 0 && (
        <ul className="m-0 mt-4 list-none border-t border-line p-0" aria-label="Links that nobody has taken yet">
          {invitations.map((i) => (
            <li key={i.id} className="flex items-center gap-3 border-b border-line py-1.5">
              <span className="flex-1">
                {i.person ? `New password for ${i.person.name}` : `Somebody new, as ${i.role}`}
                {i.by && <span className="text-muted">, by {i.by}</span>}
              </span>
              <span className="text-muted">ends {formatDistanceToNow(new Date(i.endsAt), { addSuffix: true })}</span>
              <IconButton label="Take the link back" onClick={() => void takeBack(i.id)}>
                <X size={16} aria-hidden />
              </IconButton>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function LinkToHandOver({ invitation: { token, person } }: { invitation: NewInvitation }) {
  const [copied, setCopied] = useState(false);
  const address = `${window.location.origin}/invitation/${token}`;
  return (
    <div className="mt-3 rounded-lg bg-sunk p-3">
      <label className="flex flex-col gap-1">
        {person ? `Link for ${person.name}` : 'Link to hand over'}; it is shown this once
        <span className="flex gap-2">
          <input
            readOnly
            value={address}
            onFocus={(e) => e.target.select()}
            className={`${FIELD} num min-w-0 flex-1`}
          />
          <Button
            onClick={() =>
              void navigator.clipboard.writeText(address).then(
                () => setCopied(true),
                () => undefined,
              )
            }
          >
            {copied ? 'Copied' : 'Copy'}
          </Button>
        </span>
      </label>
    </div>
  );
}
