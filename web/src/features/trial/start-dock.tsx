import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useLocation, useSearch } from 'wouter';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { laddersQuery, trimsQuery, yardsticksQuery } from '../../api/queries';
import { useActionKey } from '../../ui/action-key';
import { Button, Problem, Section } from '../../ui/elements';
import { loadNames, roughly } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { YardstickPicks } from '../scores/yardstick-picks';

/** Chooses a ladder and starts it under the trim in force. */
export function StartDock({ rig }: { rig: Rig }) {
  const [, go] = useLocation();
  const ladders = useQuery(laddersQuery(rig.cores || 1));
  const [pick, setPick] = useState(useSearch().includes('ladder=missing') ? 'missing' : '');
  const lacking = useQuery(trimsQuery(rig.id)).data?.find((t) => t.inForce)?.proof;
  const start = useMutation({
    meta: { touches: ['trial'] },
    mutationFn: (body: Schemas['StartTrialRequest']) =>
      take(api.POST('/api/rigs/{rig}/trials', { params: { path: { rig: rig.id } }, body })),
    onSuccess: async (trial) => {
      go(sheetPath(rig.id, 'trial', trial.id));
    },
  });
  const ready =
    rig.linked && rig.trimInForce != null && (rig.state === 'idle' || rig.state === 'not linked') && !start.isPending;
  const missing = pick === 'missing' && lacking?.lacks ? lacking : undefined;
  const chosen = missing ? undefined : (ladders.data?.find((l) => l.id === pick) ?? ladders.data?.[0]);
  const id = missing ? 'missing' : chosen?.id;
  const [restore, setRestore] = useState(false);
  const run = () =>
    ready && id && start.mutate({ purpose: 'proof', ladder: id, restoreAfter: (rig.inSystem && restore) || undefined });
  useActionKey('t', () => run(), [ready, id]);
  return (
    <Section title="Start">
      <select
        aria-label="Ladder"
        value={id ?? ''}
        onChange={(e) => setPick(e.target.value)}
        className="mb-1 w-full border border-line bg-sheet px-1 py-0.5"
      >
        {ladders.data?.map((l) => (
          <option key={l.id} value={l.id}>
            {l.template.name}
          </option>
        ))}
        {lacking?.lacks && (
          <option value="missing">{lacking.stands ? 'Against the fault' : `What is missing to ${lacking.next}`}</option>
        )}
      </select>
      <Button main hint="t" className="my-1" disabled={!ready || !id} onClick={run}>
        Start trial
      </Button>
      {rig.inSystem && (
        <label className="flex items-baseline gap-2 text-[13px]">
          <input type="checkbox" checked={restore} onChange={(e) => setRestore(e.target.checked)} />
          then put the running system back as it was found
        </label>
      )}
      {chosen && <LadderSummary ladder={chosen} />}
      {missing && (
        <p className="text-[13px]">
          <span className="num">{roughly(missing.takesS)}</span>: {missing.lacks}
        </p>
      )}
      <p className="mt-1.5 text-[13px]">
        <Link href={sheetPath(rig.id, 'ladders')} className="underline decoration-line underline-offset-2">
          Change the ladders
        </Link>
      </p>
      {!rig.linked && <p className="mt-1 text-caution">The rig is not linked.</p>}
      {rig.linked && rig.trimInForce == null && (
        <p className="mt-1 text-caution">No trim is known to be in force. Fit one first.</p>
      )}
      <Benchmark ready={ready} onStart={(legs) => start.mutate({ name: 'Benchmark', purpose: 'score', legs })} />
      <Problem error={start.error} />
    </Section>
  );
}

/** Which yardsticks to take, several runs of each. */
function Benchmark({ ready, onStart }: { ready: boolean; onStart: (legs: Schemas['LegRequest'][]) => void }) {
  const yardsticks = useQuery(yardsticksQuery);
  const [picked, setPicked] = useState(['burst', 'single-core']);
  const own = yardsticks.data?.filter((y) => y.own) ?? [];
  const chosen = own.filter((y) => picked.includes(y.id));
  const seconds = chosen.reduce((sum, y) => sum + y.runs * y.seconds, 0);
  return (
    <fieldset className="mt-3 border-t border-line pt-2" data-benchmark="">
      <legend className="sr-only">Benchmark</legend>
      <YardstickPicks yardsticks={own} picked={picked} onPick={setPicked} />
      <Button
        disabled={!ready || chosen.length === 0}
        onClick={() => onStart(chosen.flatMap((y) => Array.from({ length: y.runs }, () => ({ yardstick: y.id }))))}
      >
        Benchmark
      </Button>
      <span className="num ml-2 text-[13px] text-soft">{chosen.length > 0 && roughly(seconds)}</span>
    </fieldset>
  );
}

function LadderSummary({ ladder }: { ladder: Schemas['Ladder'] }) {
  const { template } = ladder;
  const loads = [...new Set(template.steps.map((s) => loadNames[s.load] ?? s.load))];
  return (
    <div className="text-[13px]">
      <p className="text-soft">{template.note}</p>
      <p className="mt-1">
        <span className="num">{roughly(ladder.seconds)}</span>: {loads.join(', ').toLowerCase()}
        {(template.repeat ?? 1) > 1 && `, ${template.repeat} times over`}
      </p>
      {ladder.leaves.length > 0 && (
        <p className="text-caution">Does not look for faults under: {ladder.leaves.join(', ')}.</p>
      )}
    </div>
  );
}
