import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Link } from 'wouter';
import { api, take } from '../api/client';
import { meQuery, useMe } from '../api/me';
import { type SheetWord, sheetPath } from '../ui/sheet';

/** Who is logged in, at the foot of the rail; nothing where nobody logs in. */
export function Who({ rig, sheet }: { rig: number; sheet: SheetWord }) {
  const me = useMe();
  const queries = useQueryClient();
  const logout = useMutation({
    meta: { touches: [] },
    mutationFn: () => take(api.POST('/api/logout')),
    onSuccess: () => queries.resetQueries({ queryKey: meQuery.queryKey }),
  });
  if (!me?.guarded) return null;
  const to = (word: SheetWord, title: string) => (
    <Link
      href={sheetPath(rig, word)}
      aria-current={sheet === word ? 'true' : undefined}
      className="block text-soft aria-[current]:text-ink"
    >
      {title}
    </Link>
  );
  return (
    <div className="border-t border-line px-3.5 pt-2 text-[13px]" data-who={me.name}>
      <p className="truncate">
        <span className="font-semibold">{me.name}</span> <span className="text-soft">{me.role}</span>
      </p>
      {to('accounts', me.role === 'owner' ? 'Accounts' : 'Your password')}
      {me.role === 'owner' && to('audit', 'Audit')}
      <button type="button" className="block text-soft" onClick={() => logout.mutate()}>
        Log out
      </button>
    </div>
  );
}
