import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { accountsQuery, useMe } from '../../api/me';
import { useSeen } from '../../api/version';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { dayOf } from '../../ui/format';
import { OwnPassword } from './own-password';

type Account = Schemas['Account'];
type Role = 'owner' | 'builder' | 'guest';

const roles: { role: Role; may: string }[] = [
  { role: 'owner', may: 'everything' },
  { role: 'builder', may: 'everything but accounts, tokens and removal' },
  { role: 'guest', may: 'look, and change nothing' },
];

/** Who may use the bench, and what each may do. */
export function AccountsSheet() {
  const me = useMe();
  const accounts = useQuery({ ...accountsQuery, enabled: me?.role === 'owner' });
  const [open, setOpen] = useState<number>();
  return (
    <SheetWithDock
      dock={
        <>
          {me?.role === 'owner' && <NewAccount />}
          {me?.guarded && <OwnPassword />}
        </>
      }
    >
      <Heading note={me?.guarded ? 'who may use this bench' : 'for a guarded server; here nobody logs in'}>
        Accounts
      </Heading>
      {me && me.role !== 'owner' && <p className="text-soft">Accounts are an owner’s to keep.</p>}
      <Problem error={accounts.error} />
      {accounts.data && (
        <table className="table-thin w-full max-w-[52rem]">
          <thead>
            <tr>
              <th>Name</th>
              <th>Role</th>
              <th>May</th>
              <th>Since</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {accounts.data.map((a) => (
              <AccountRow
                key={a.id}
                account={a}
                own={a.name === me?.name}
                open={open === a.id}
                onOpen={(now) => setOpen(now ? a.id : undefined)}
              />
            ))}
          </tbody>
        </table>
      )}
    </SheetWithDock>
  );
}

interface RowProps {
  account: Account;
  own: boolean;
  open: boolean;
  onOpen: (open: boolean) => void;
}

function AccountRow({ account, own, open, onOpen }: RowProps) {
  return (
    <>
      <tr data-account={account.name}>
        <td className={account.closed ? 'text-soft' : 'font-semibold'}>
          {account.name} {own && <span className="font-normal text-soft">you</span>}
        </td>
        <td>{account.role}</td>
        <td className="text-soft">
          {account.closed ? '○ closed: nobody logs in with it' : roles.find((r) => r.role === account.role)?.may}
        </td>
        <td className="num">{dayOf(account.createdAt)}</td>
        <td className="right">
          <button type="button" className="underline" aria-expanded={open} onClick={() => onOpen(!open)}>
            Change
          </button>
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={5}>
            <ChangeAccount account={account} onDone={() => onOpen(false)} />
          </td>
        </tr>
      )}
    </>
  );
}

function ChangeAccount({ account, onDone }: { account: Account; onDone: () => void }) {
  const [role, setRole] = useState(account.role);
  const [password, setPassword] = useState('');
  const seen = useSeen(account.version);
  const change = useMutation({
    meta: { touches: ['account'] },
    mutationFn: (body: Schemas['ChangeAccountRequest']) =>
      take(
        api.PATCH('/api/accounts/{account}', {
          params: { path: { account: account.id } },
          headers: seen.headers,
          body,
        }),
      ),
    onSuccess: onDone,
    onError: seen.onError,
  });
  const changed = { role: role === account.role ? undefined : role, password: password || undefined };
  return (
    <form
      className="my-2 border-l-2 border-ink pl-3"
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate(changed);
      }}
    >
      <div className="flex flex-wrap items-end gap-4">
        <RoleField value={role} onChange={setRole} />
        <label>
          <span className="block text-[13px] text-soft">New password (optional)</span>
          <input
            className="w-56 border border-line bg-sheet px-1.5 py-1"
            type="password"
            autoComplete="new-password"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
        <Button main type="submit" disabled={change.isPending || (!changed.role && !changed.password)}>
          Save
        </Button>
        <Button disabled={change.isPending} onClick={() => change.mutate({ closed: !account.closed })}>
          {account.closed ? 'Open again' : 'Close the account'}
        </Button>
      </div>
      <p className="mt-1 text-[13px] text-soft">Whoever is logged in with it has to log in anew.</p>
      <Problem error={change.error} />
    </form>
  );
}

interface RoleProps {
  value: string;
  onChange: (role: string) => void;
  /** Say what the role may do. */
  explained?: boolean;
}

function RoleField({ value, onChange, explained }: RoleProps) {
  return (
    <label>
      <span className="block text-[13px] text-soft">Role</span>
      <select
        className="border border-line bg-sheet px-1.5 py-1"
        value={value}
        onChange={(e) => onChange(e.target.value)}
      >
        {roles.map((r) => (
          <option key={r.role}>{r.role}</option>
        ))}
      </select>
      {explained && <span className="block text-[13px] text-soft">{roles.find((r) => r.role === value)?.may}</span>}
    </label>
  );
}

function NewAccount() {
  const [name, setName] = useState('');
  const [role, setRole] = useState('builder');
  const [password, setPassword] = useState('');
  const add = useMutation({
    meta: { touches: ['account'] },
    mutationFn: () => take(api.POST('/api/accounts', { body: { name, role, password } })),
    onSuccess: () => {
      setName('');
      setPassword('');
    },
  });
  return (
    <Section title="Give somebody an account">
      <form
        className="flex flex-col items-start gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <label className="w-full">
          <span className="block text-[13px] text-soft">Name</span>
          <input
            className="w-full border border-line bg-sheet px-1.5 py-0.5"
            autoComplete="off"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <RoleField value={role} onChange={setRole} explained />
        <label className="w-full">
          <span className="block text-[13px] text-soft">First password, 10 characters or more</span>
          <input
            className="w-full border border-line bg-sheet px-1.5 py-0.5"
            type="password"
            autoComplete="new-password"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
        <Button main type="submit" disabled={!name.trim() || !password || add.isPending}>
          Give the account
        </Button>
        <Problem error={add.error} />
      </form>
    </Section>
  );
}
