import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { meQuery } from '../../api/me';
import { Button, Problem, Section } from '../../ui/elements';

/** Changes the password of who is logged in, who then logs in anew. */
export function OwnPassword() {
  const queries = useQueryClient();
  const [before, setBefore] = useState('');
  const [password, setPassword] = useState('');
  const change = useMutation({
    meta: { touches: [] },
    mutationFn: () => take(api.POST('/api/me/password', { body: { before, password } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: meQuery.queryKey }),
  });
  const field = (label: string, value: string, set: (v: string) => void, kind: string) => (
    <label className="w-full">
      <span className="block text-[13px] text-soft">{label}</span>
      <input
        className="w-full border border-line bg-sheet px-1.5 py-0.5"
        type="password"
        autoComplete={kind}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
  return (
    <Section title="Your own password">
      <form
        className="flex flex-col items-start gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate();
        }}
      >
        {field('The one you have', before, setBefore, 'current-password')}
        {field('Another one', password, setPassword, 'new-password')}
        <Button reads type="submit" disabled={!before || !password || change.isPending}>
          Change it
        </Button>
        <p className="text-[13px] text-soft">You log in anew with it, everywhere.</p>
        <Problem error={change.error} />
      </form>
    </Section>
  );
}
