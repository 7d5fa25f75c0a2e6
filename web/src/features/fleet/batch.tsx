import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { batchesQuery, laddersQuery, trimsQuery } from '../../api/queries';
import { Button, Problem, Verdict } from '../../ui/elements';
import { count, num, roughly, trimName } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';

type Batch = Schemas['Batch'];

interface StartProps {
  /** The rigs that are chosen, in the order of the fleet. */
  rigs: Rig[];
  onStarted: () => void;
}

/** One action for several rigs: a ladder under each one's trim, or under a trim of one that is carried to all. */
export function StartBatch({ rigs, onStarted }: StartProps) {
  const ladders = useQuery(laddersQuery(8)).data ?? [];
  const [ladder, setLadder] = useState('quick');
  const [from, setFrom] = useState<number>();
  const [trim, setTrim] = useState<number>();
  const [mostW, setMostW] = useState('');
  const trims = useQuery({ ...trimsQuery(from ?? 0), enabled: from !== undefined });
  const start = useMutation({
    meta: { touches: ['trial', 'trim', 'batch'] },
    mutationFn: () =>
      take(
        api.POST('/api/batches', {
          body: { rigs: rigs.map((r) => r.id), ladder, trim, mostW: Number(mostW) || undefined },
        }),
      ),
    onSuccess: onStarted,
  });
  return (
    <div className="mb-2 border border-ink bg-sheet px-3 py-2 text-[13px]" data-batch-of={rigs.length}>
      <p className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <strong>On {count(rigs.length, 'rig')}</strong>
        <label>
          run{' '}
          <select
            aria-label="Ladder of the batch"
            className="border border-line bg-sheet px-1 py-0.5"
            value={ladder}
            onChange={(e) => setLadder(e.target.value)}
          >
            {ladders.map((l) => (
              <option key={l.id} value={l.id}>
                {l.template.name}
              </option>
            ))}
          </select>
        </label>
        <label>
          under{' '}
          <select
            aria-label="Rig whose trim is carried"
            className="border border-line bg-sheet px-1 py-0.5"
            value={from ?? ''}
            onChange={(e) => {
              setFrom(Number(e.target.value) || undefined);
              setTrim(undefined);
            }}
          >
            <option value="">each one’s trim in force</option>
            {rigs.map((r) => (
              <option key={r.id} value={r.id}>
                a trim of {r.name}
              </option>
            ))}
          </select>
        </label>
        {from !== undefined && (
          <select
            aria-label="Trim that is carried"
            className="border border-line bg-sheet px-1 py-0.5"
            value={trim ?? ''}
            onChange={(e) => setTrim(Number(e.target.value) || undefined)}
          >
            <option value="">which</option>
            {trims.data?.map((t) => (
              <option key={t.id} value={t.id}>
                {trimName(t)} {t.number > 0 && t.name} {t.standing && `(${t.standing})`}
              </option>
            ))}
          </select>
        )}
        <label>
          within{' '}
          <input
            aria-label="Ceiling of the batch"
            className="num w-16 border border-line bg-sheet px-1 text-right"
            inputMode="decimal"
            placeholder="no"
            value={mostW}
            onChange={(e) => setMostW(e.target.value)}
          />{' '}
          W at the wall
        </label>
        <Button
          main
          disabled={start.isPending || (from !== undefined && trim === undefined)}
          onClick={() => start.mutate()}
        >
          Start all
        </Button>
      </p>
      <Problem error={start.error} />
    </div>
  );
}

/** The batch that is under way, or the last: how far each rig is, what all of them draw, and the end of it. */
export function BatchPanel({ rigs }: { rigs: Rig[] }) {
  const batches = useQuery(batchesQuery);
  const stop = useMutation({
    meta: { touches: ['trial', 'batch'] },
    mutationFn: (batch: number) => take(api.POST('/api/batches/{batch}/stop', { params: { path: { batch } } })),
  });
  const open = batches.data?.filter((b) => !b.ended) ?? [];
  const last = batches.data?.[0];
  const shown = open.length > 0 ? open : last && recent(last) ? [last] : [];
  return shown.map((b) => (
    <section
      key={b.id}
      className="mt-2 border-l-4 border-tint-3 pl-3 text-[13px]"
      data-batch={b.id}
      data-ended={b.ended}
    >
      <p className="flex items-baseline gap-3">
        <strong>{b.name}</strong>
        <span>
          {num(b.members.filter((m) => m.state === 'ended').length)} of {count(b.members.length, 'rig')} through
        </span>
        {b.mostW > 0 && !b.ended && (
          <span className="num">
            {num(b.drawW)} of {num(b.mostW)} W
          </span>
        )}
        {!b.ended && (
          <Button disabled={b.stopAsked || stop.isPending} onClick={() => stop.mutate(b.id)}>
            Stop all
          </Button>
        )}
        <Problem error={stop.error} />
      </p>
      <ul className="mt-1 flex flex-wrap gap-x-5 gap-y-1">
        {b.members.map((m) => (
          <Member key={m.rig} member={m} name={rigs.find((r) => r.id === m.rig)?.name ?? `rig ${m.rig}`} />
        ))}
      </ul>
    </section>
  ));
}

const day = 86_400_000;

const recent = (b: Batch) => Date.now() - new Date(b.createdAt).getTime() < day;

function Member({ member: m, name }: { member: Schemas['BatchMember']; name: string }) {
  const to = m.trial > 0 ? sheetPath(m.rig, 'trial', m.trial) : sheetPath(m.rig, 'fitting');
  return (
    <li data-member={name} data-state={m.state} className="whitespace-nowrap">
      <Link href={to} className="underline">
        {name}
      </Link>{' '}
      {m.verdict ? (
        <Verdict verdict={m.verdict} />
      ) : m.state === 'ended' ? (
        <span className="text-soft">{m.words}</span>
      ) : m.state === 'waits' ? (
        <span className="text-soft">waits for its turn, {num(m.expectW)} W</span>
      ) : m.trial > 0 ? (
        <>
          <span aria-hidden="true" className="inline-block h-2 w-16 border border-line align-middle">
            <span className="block h-full bg-tint-4" style={{ width: `${100 * m.share}%` }} />
          </span>{' '}
          <span className="num">{roughly(m.remainingS)}</span>
        </>
      ) : (
        <span className="text-soft">being fitted</span>
      )}
    </li>
  );
}
