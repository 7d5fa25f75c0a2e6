import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation } from 'wouter';
import { api, type Schemas, type Trim, take } from '../../api/client';
import { rigsQuery } from '../../api/queries';
import { useSeen } from '../../api/version';
import { Button, Problem } from '../../ui/elements';
import { sheetPath } from '../../ui/sheet';

type Profile = Trim['profile'];

/** What may change of a trim at any time: what it is kept for, and notes. Beside them, its ways out: file, card, copy. */
export function Notes({ trim }: { trim: Trim }) {
  const [text, setText] = useState(trim.notes);
  const { headers, ...seen } = useSeen(trim.version);
  const save = useMutation({
    meta: { touches: ['trim'] },
    mutationFn: (body: { notes?: string; profile?: Profile }) =>
      take(
        api.PATCH('/api/trims/{trim}', {
          params: { path: { trim: trim.id } },
          headers: body.notes === undefined ? undefined : headers,
          body,
        }),
      ),
    ...seen,
  });
  return (
    <div className="mb-2">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 text-[13px]">
        <label className="flex items-center gap-1.5">
          <span className="text-soft">Kept as</span>
          <select
            aria-label="Kept as"
            value={trim.profile}
            onChange={(e) => save.mutate({ profile: e.target.value as Profile })}
            className="border border-line bg-sheet px-1"
          >
            <option value="">a step of the course</option>
            <option value="fast">the fast profile</option>
            <option value="quiet">the quiet profile</option>
          </select>
        </label>
        <a className="underline" href={`/api/trims/${trim.id}/file`} download>
          Export file
        </a>
        <a className="underline" href={sheetPath(trim.rig, 'card', trim.id)}>
          Setting card
        </a>
        <CopyTo trim={trim} />
      </div>
      <textarea
        aria-label="Notes"
        value={text}
        rows={text.includes('\n') || text.length > 90 ? 3 : 1}
        placeholder="Notes"
        maxLength={5000}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => text !== trim.notes && save.mutate({ notes: text })}
        className="mt-1 block w-full max-w-[44rem] border-b border-line bg-transparent px-1 py-0.5"
      />
      <Problem error={save.error} />
    </div>
  );
}

/** Copies the trim to another rig, and lists what does not fit there. */
function CopyTo({ trim }: { trim: Trim }) {
  const [, go] = useLocation();
  const rigs = useQuery(rigsQuery);
  const [left, setLeft] = useState<Schemas['MadeTrim']>();
  const copy = useMutation({
    meta: { touches: ['trim'] },
    mutationFn: (rig: number) =>
      take(api.POST('/api/trims/{trim}/copy', { params: { path: { trim: trim.id } }, body: { rig } })),
    onSuccess: (made) => (made.unfit.length > 0 ? setLeft(made) : go(sheetPath(made.trim.rig, 'trim', made.trim.id))),
  });
  const others = rigs.data?.filter((r) => r.id !== trim.rig && r.parts) ?? [];
  if (others.length === 0) return null;
  return (
    <span>
      <select
        aria-label="Copy to another rig"
        value=""
        onChange={(e) => copy.mutate(Number(e.target.value))}
        className="border border-line bg-sheet px-1"
      >
        <option value="" disabled>
          Copy to …
        </option>
        {others.map((r) => (
          <option key={r.id} value={r.id}>
            {r.name}
          </option>
        ))}
      </select>
      <Problem error={copy.error} />
      {left && (
        <div role="status" className="my-2 border-l-2 border-caution pl-2">
          <p>Copied, without what does not fit there:</p>
          <ul>
            {left.unfit.map((u) => (
              <li key={u.key}>
                <span className="num">{u.key}</span> <span className="text-soft">{u.why}</span>
              </li>
            ))}
          </ul>
          <Button reads onClick={() => go(sheetPath(left.trim.rig, 'trim', left.trim.id))}>
            Show the copy
          </Button>
        </div>
      )}
    </span>
  );
}
