import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { laddersQuery, loadsQuery, useRig } from '../../api/queries';
import { useSeen } from '../../api/version';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { roughly } from '../../ui/format';
import type { SheetProps } from '../../ui/sheet';
import { StepTable } from './step-table';

type Ladder = Schemas['Ladder'];
type Template = Schemas['LadderTemplate'];

/** The templates of trials: which loads, for how long, and what that finds. */
export function LaddersSheet({ rig }: SheetProps) {
  const owner = useRig(rig);
  const ladders = useQuery(laddersQuery(owner?.cores || 1));
  const loads = useQuery(loadsQuery);
  const [pick, setPick] = useState('standard');
  const chosen = ladders.data?.find((l) => l.id === pick) ?? ladders.data?.[0];
  if (!chosen || !loads.data) return <p className="p-4 text-soft">Reading the ladders …</p>;
  return (
    <SheetWithDock
      dock={
        <>
          <Section title="Ladders">
            <ul className="row-rule">
              {ladders.data?.map((l) => (
                <li key={l.id}>
                  <button
                    type="button"
                    onClick={() => setPick(l.id)}
                    aria-current={l.id === chosen.id ? 'true' : undefined}
                    className="flex w-full justify-between gap-2 py-0.5 text-left aria-[current]:font-semibold"
                  >
                    <span className="truncate">
                      {l.template.name}
                      {l.changed && <span className="font-normal text-soft"> · changed</span>}
                    </span>
                    <span className="num whitespace-nowrap text-soft">{roughly(l.seconds)}</span>
                  </button>
                </li>
              ))}
            </ul>
          </Section>
          <Section title="What the loads find">
            <dl className="text-[13px]">
              {loads.data.map((l) => (
                <div key={l.kind} className="mb-1">
                  <dt className="inline font-semibold">{l.kind}</dt>
                  <dd className="inline text-soft"> {l.finds}</dd>
                </div>
              ))}
            </dl>
          </Section>
        </>
      }
    >
      <LadderEditor key={chosen.id + chosen.changed} ladder={chosen} onSaved={setPick} />
    </SheetWithDock>
  );
}

/** A name's letters and digits, as an address. */
const addressOf = (name: string) =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 40);

function LadderEditor({ ladder, onSaved }: { ladder: Ladder; onSaved: (id: string) => void }) {
  const [template, setTemplate] = useState<Template>(ladder.template);
  const change = (part: Partial<Template>) => setTemplate((t) => ({ ...t, ...part }));
  const seen = useSeen(ladder.version);
  const save = useMutation({
    meta: { touches: ['ladder'] },
    mutationFn: (id: string) =>
      take(
        api.PUT('/api/ladders/{ladder}', {
          params: { path: { ladder: id } },
          headers: id === ladder.id ? seen.headers : undefined,
          body: template,
        }),
      ),
    onSuccess: (saved) => {
      seen.onSuccess(saved);
      onSaved(saved.id);
    },
    onError: seen.onError,
  });
  const drop = useMutation({
    meta: { touches: ['ladder'] },
    mutationFn: () => take(api.DELETE('/api/ladders/{ladder}', { params: { path: { ladder: ladder.id } } })),
  });
  const renamed = addressOf(template.name);
  const fresh = renamed !== '' && template.name !== ladder.template.name;
  return (
    <>
      <Heading note={ladder.delivered ? 'comes with the application' : 'of this workshop'}>
        {ladder.template.name}
      </Heading>
      <div className="mb-3 grid max-w-[52rem] grid-cols-[18rem_1fr] gap-x-4 gap-y-1">
        <label>
          <span className="block text-[13px] text-soft">Name</span>
          <input
            className="w-full border border-line bg-sheet px-1.5 py-0.5"
            value={template.name}
            onChange={(e) => change({ name: e.target.value })}
          />
        </label>
        <label>
          <span className="block text-[13px] text-soft">When to use it</span>
          <input
            className="w-full border border-line bg-sheet px-1.5 py-0.5"
            value={template.note}
            maxLength={200}
            onChange={(e) => change({ note: e.target.value })}
          />
        </label>
      </div>
      <StepTable steps={template.steps} onChange={(steps) => change({ steps })} />
      <div className="mt-3 flex items-center gap-5">
        <label className="flex items-center gap-2">
          All of it
          <input
            className="num w-16 border border-line bg-sheet px-1 py-0.5 text-right"
            type="number"
            min={1}
            value={template.repeat || 1}
            onChange={(e) => change({ repeat: e.target.valueAsNumber || 1 })}
          />
          times
        </label>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={template.goOn ?? false}
            onChange={(e) => change({ goOn: e.target.checked })}
          />
          go on after a fault that the machine survives
        </label>
      </div>
      <p className="my-3 text-[13px]">
        <span className="text-soft">Looks for faults under</span> {ladder.probes.join(', ')}
        {ladder.leaves.length > 0 && <span className="text-caution">; not under {ladder.leaves.join(', ')}</span>}
      </p>
      <div className="flex gap-2">
        <Button main onClick={() => save.mutate(ladder.id)} disabled={save.isPending}>
          Save
        </Button>
        <Button onClick={() => save.mutate(renamed)} disabled={!fresh || save.isPending}>
          Save as another
        </Button>
        {(ladder.changed || !ladder.delivered) && (
          <Button onClick={() => drop.mutate()} disabled={drop.isPending}>
            {ladder.delivered ? 'Put back as delivered' : 'Remove'}
          </Button>
        )}
      </div>
      <Problem error={save.error ?? drop.error} />
    </>
  );
}
