import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Trim, take } from '../../api/client';
import { sessionsQuery, useRig, yardsticksQuery } from '../../api/queries';
import { Button, Problem, Section } from '../../ui/elements';
import { roughly, trimName } from '../../ui/format';
import { YardstickPicks } from './yardstick-picks';

const runsToChoose = [3, 4, 5, 6, 8, 10];

/** Runs two trims by turns, so that the day they share does not stand between them. */
export function SessionDock({ rig, trims, base, trim }: { rig: number; trims: Trim[]; base: Trim; trim: Trim }) {
  const owner = useRig(rig);
  const sessions = useQuery(sessionsQuery(rig));
  const yardsticks = useQuery(yardsticksQuery);
  const [runs, setRuns] = useState(5);
  const [picked, setPicked] = useState(['burst']);
  const start = useMutation({
    meta: { touches: ['trial'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/sessions', {
          params: { path: { rig } },
          body: { base: base.id, trim: trim.id, yardsticks: picked, runs },
        }),
      ),
  });
  const end = useMutation({
    meta: { touches: ['trial'] },
    mutationFn: (session: number) => take(api.POST('/api/sessions/{session}/end', { params: { path: { session } } })),
  });
  const name = (id: number) => trimName(trims.find((t) => t.id === id) ?? { number: 0, name: '' });
  const newest = sessions.data?.[0];
  const own = yardsticks.data?.filter((y) => y.own) ?? [];
  const seconds = own.filter((y) => picked.includes(y.id)).reduce((sum, y) => sum + 2 * runs * y.seconds, 0);
  if (newest && !newest.ended) {
    return (
      <Section title="Interleaved session" note={`block ${newest.block + 1} of ${newest.blocks.length}`}>
        <ol className="row-rule text-[13px]" data-session="running">
          {newest.blocks.map((b, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: blocks have no other name than their place
            <li key={i} className={`flex justify-between py-0.5 ${i === newest.block ? 'font-semibold' : 'text-soft'}`}>
              <span>{name(b.trim)}</span>
              <span>
                {b.runs} {b.runs === 1 ? 'run' : 'runs'}{' '}
                {i < newest.block ? 'done' : i === newest.block ? 'now' : 'to come'}
              </span>
            </li>
          ))}
        </ol>
        <Button className="mt-1" disabled={end.isPending} onClick={() => end.mutate(newest.id)}>
          End the session
        </Button>
        <Problem error={end.error} />
      </Section>
    );
  }
  return (
    <Section title="Interleaved session" note="one, the other, the first again">
      <YardstickPicks yardsticks={own} picked={picked} onPick={setPicked} />
      <label className="mb-1.5 flex items-center gap-2 text-[13px]">
        Runs under each
        <select
          value={runs}
          onChange={(e) => setRuns(Number(e.target.value))}
          className="border border-line bg-sheet px-1 py-0.5"
        >
          {runsToChoose.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </select>
      </label>
      <Button
        disabled={!owner?.linked || start.isPending || base.id === trim.id || picked.length === 0}
        onClick={() => start.mutate()}
      >
        Run {trimName(base)} and {trimName(trim)} by turns
      </Button>
      <p className="mt-1 text-[13px] text-soft">
        {picked.length > 0 && <span className="num">{roughly(seconds)}</span>} and two or three fittings. What a day
        differs from another no longer stands between the two.
      </p>
      {newest?.problem && (
        <p className="mt-1 text-[13px] text-caution">The session before ended early: {newest.problem}.</p>
      )}
      <Problem error={start.error} />
    </Section>
  );
}
