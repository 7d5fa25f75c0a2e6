import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { meQuery } from '../../api/me';
import { Button, Problem } from '../../ui/elements';

/** Where one comes in to a guarded bench: by name and password, or, while nobody owns it, by the server's code. */
export function EntryPage({ unowned }: { unowned: boolean }) {
  return (
    <main className="grid h-dvh grid-cols-[minmax(22rem,28rem)_1fr] max-[700px]:grid-cols-1">
      <div className="flex flex-col px-8 py-7">
        <p className="mb-16 font-bold tracking-[0.09em]">ZERO KEEL</p>
        {unowned ? <FirstOwner /> : <Login />}
      </div>
      <Roads />
    </main>
  );
}

/** Remembers who is in, and reads everything anew as that person. */
function useArrived() {
  const queries = useQueryClient();
  return (me: Schemas['Me']) => {
    queries.setQueryData(meQuery.queryKey, me);
    void queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== meQuery.queryKey[0] });
  };
}

function Login() {
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const arrived = useArrived();
  const login = useMutation({
    meta: { touches: [] },
    mutationFn: () => take(api.POST('/api/login', { body: { name, password } })),
    onSuccess: arrived,
  });
  return (
    <EntryForm title="Come in" onSubmit={() => login.mutate()}>
      <Field label="Name" autoComplete="username" value={name} onChange={setName} autoFocus />
      <Field label="Password" type="password" autoComplete="current-password" value={password} onChange={setPassword} />
      <Button reads main type="submit" disabled={!name || !password || login.isPending}>
        Log in
      </Button>
      <Problem error={login.error} />
      <p className="text-[13px] text-soft">
        No account yet, or the password is lost? An owner of the bench gives you another one. Owners get theirs back on
        the server’s own machine: <span className="num">zerokeel owner NAME</span>
      </p>
    </EntryForm>
  );
}

function FirstOwner() {
  const [code, setCode] = useState('');
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const arrived = useArrived();
  const make = useMutation({
    meta: { touches: [] },
    mutationFn: () => take(api.POST('/api/first', { body: { code, name, password } })),
    onSuccess: arrived,
  });
  return (
    <EntryForm title="This bench has no owner yet" onSubmit={() => make.mutate()}>
      <p className="text-soft">
        Whoever started the server read a code where it was started. With it you become the owner, who gives accounts to
        the others.
      </p>
      <Field label="Code" value={code} onChange={setCode} autoComplete="off" autoFocus />
      <Field label="Your name" value={name} onChange={setName} autoComplete="username" />
      <Field
        label="A password of 10 characters or more"
        type="password"
        autoComplete="new-password"
        value={password}
        onChange={setPassword}
      />
      <Button reads main type="submit" disabled={!code || !name || !password || make.isPending}>
        Become the owner
      </Button>
      <Problem error={make.error} />
    </EntryForm>
  );
}

function EntryForm({ title, onSubmit, children }: { title: string; onSubmit: () => void; children: ReactNode }) {
  return (
    <form
      className="flex flex-col items-start gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        onSubmit();
      }}
    >
      <h1 className="text-[22px] leading-tight font-semibold">{title}</h1>
      {children}
    </form>
  );
}

interface FieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  type?: string;
  autoComplete?: string;
  autoFocus?: boolean;
}

function Field({ label, onChange, ...rest }: FieldProps) {
  return (
    <label className="w-full">
      <span className="block text-[13px] text-soft">{label}</span>
      <input
        className="w-full border border-line bg-sheet px-2 py-1.5"
        onChange={(e) => onChange(e.target.value)}
        {...rest}
      />
    </label>
  );
}

/** Lines of equal depth, from the shore to the middle of the roads. */
const depths = [
  { d: 'M0 0 H900 V900 H0 Z', tint: 'var(--buff)' },
  { d: 'M210 -20 C120 140 330 250 250 420 S70 700 230 920 H920 V-20 Z', tint: 'var(--tint-1)' },
  { d: 'M360 -20 C270 130 470 260 390 430 S210 690 380 920 H920 V-20 Z', tint: 'var(--tint-2)' },
  { d: 'M540 -20 C440 150 600 280 530 440 S390 680 560 920 H920 V-20 Z', tint: 'var(--tint-3)' },
  { d: 'M760 -20 C640 190 740 300 690 450 S600 670 770 920 H920 V-20 Z', tint: 'var(--tint-4)' },
];

function Roads() {
  return (
    <svg
      aria-hidden="true"
      className="h-full w-full border-l border-line max-[700px]:hidden"
      viewBox="0 0 900 900"
      preserveAspectRatio="xMidYMid slice"
    >
      {depths.map((one) => (
        <path key={one.d} d={one.d} fill={one.tint} stroke="var(--line)" strokeWidth="1" />
      ))}
      <path
        d="M40 860 C260 760 330 560 480 500 S740 360 880 120"
        fill="none"
        stroke="var(--ink)"
        strokeWidth="2"
        strokeDasharray="10 7"
      />
    </svg>
  );
}
