import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { rigsQuery } from '../../api/queries';
import { Button, Heading, Problem } from '../../ui/elements';
import { clockTime, dayOf } from '../../ui/format';

type Deed = Schemas['Deed'];

const atOnce = 200;

/** Who did what on the bench, and what was refused to whom. */
export function AuditSheet() {
  const rigs = useQuery(rigsQuery);
  const [only, setOnly] = useState('');
  const audit = useInfiniteQuery({
    queryKey: ['audit'],
    staleTime: 0,
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) => take(api.GET('/api/audit', { params: { query: { before: pageParam } } })),
    getNextPageParam: (last) => (last.length === atOnce ? last.at(-1)?.id : undefined),
    select: (data) => data.pages.flat(),
  });
  const names = [...new Set(audit.data?.map((d) => d.name))].filter(Boolean).sort();
  const shown = audit.data?.filter((d) => only === '' || (only === ' ' ? d.outcome !== 'done' : d.name === only)) ?? [];
  return (
    <div className="h-full overflow-auto px-4 py-3">
      <Heading note="who did what, or tried to; what is only looked at is not written down, and nothing here can be changed">
        Audit
      </Heading>
      <Problem error={audit.error} />
      <div className="mb-2 flex flex-wrap gap-1">
        {['', ' ', ...names].map((n) => (
          <button
            key={n}
            type="button"
            aria-pressed={only === n}
            onClick={() => setOnly(n)}
            className="border-b-2 border-transparent px-1.5 text-soft aria-pressed:border-ink aria-pressed:text-ink"
          >
            {n === '' ? 'Everything' : n === ' ' ? 'Refused or failed' : n}
          </button>
        ))}
      </div>
      {days(shown).map(([day, deeds]) => (
        <section key={day} className="mb-3">
          <h2 className="small-caps">{day}</h2>
          <table className="table-thin w-full table-fixed">
            <colgroup>
              <col className="w-20" />
              <col className="w-44" />
              <col />
              <col className="w-40" />
              <col className="w-24" />
              <col className="w-36" />
            </colgroup>
            <tbody>
              {deeds.map((d) => (
                <tr key={d.id} data-deed={d.outcome}>
                  <td className="num">{clockTime(d.at)}</td>
                  <td className="truncate">
                    <span className="font-semibold">{d.name || 'somebody'}</span>{' '}
                    <span className="text-soft">{d.role || 'not logged in'}</span>
                  </td>
                  <td className="truncate" title={d.did}>
                    {d.did}
                  </td>
                  <td className="truncate text-soft" title={d.path}>
                    {thing(d.path, rigs.data ?? [])}
                  </td>
                  <td>
                    <Outcome of={d.outcome} />
                  </td>
                  <td className="num text-soft">{d.fromIP}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
      {audit.hasNextPage && (
        <Button reads disabled={audit.isFetchingNextPage} onClick={() => audit.fetchNextPage()}>
          Earlier ones
        </Button>
      )}
    </div>
  );
}

function Outcome({ of }: { of: Deed['outcome'] }) {
  if (of === 'done') return <span className="text-soft">● done</span>;
  if (of === 'unknown') return <span title="the server ended before it was over">◌ not known</span>;
  return <span className="text-caution">✕ {of}</span>;
}

/** What a path names: a rig by its name, and else the kind of thing with its number. */
function thing(path: string, rigs: Rig[]): string {
  const [, kind, id] = /^\/api\/([a-z-]+)\/([^/]+)/.exec(path) ?? [];
  if (!kind || kind === 'me') return '';
  if (kind === 'rigs') return rigs.find((r) => r.id === Number(id))?.name ?? `rig ${id}`;
  return `${kind.replace(/s$/, '')} ${id}`;
}

function days(list: Deed[]): [string, Deed[]][] {
  const out: [string, Deed[]][] = [];
  for (const d of list) {
    const day = dayOf(d.at);
    if (out.at(-1)?.[0] !== day) out.push([day, []]);
    out.at(-1)?.[1].push(d);
  }
  return out;
}
