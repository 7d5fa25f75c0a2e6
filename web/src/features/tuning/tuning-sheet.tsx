import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import type { Rig, Schemas, Trim } from '../../api/client';
import { pilotsQuery, trimsQuery, useRig } from '../../api/queries';
import { Empty, Heading, Section, SheetWithDock } from '../../ui/elements';
import { count, roughly, trimName } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { AtWork, measures, titleOf } from '../pilot/at-work';
import { NewTuning } from './new-tuning';
import { PlanChart } from './plan-chart';
import { StepTable } from './step-table';

type Pilot = Schemas['Pilot'];

/** What shall the machine become, and how does it get there unattended? */
export function TuningSheet({ rig, mode }: SheetProps) {
  const owner = useRig(rig);
  const trims = useQuery(trimsQuery(rig));
  const pilots = useQuery(pilotsQuery(rig));
  if (owner && !owner.parts) {
    return (
      <div className="px-4">
        <Empty>
          <strong>No tuning can be planned for {owner.name},</strong> since no part sheets are named for it.
        </Empty>
      </div>
    );
  }
  if (!owner || !trims.data || !pilots.data) return <p className="p-4 text-soft">Reading the plan …</p>;
  const open = pilots.data.find((p) => p.state !== 'ended');
  if (open && !open.plan.goal) {
    return (
      <div className="px-4">
        <Empty>
          <strong>A survey is under way.</strong> Wait until it has ended, or end it on the{' '}
          <Link href={sheetPath(rig, 'soundings')} className="underline">
            Soundings sheet
          </Link>
          , before a tuning is planned.
        </Empty>
      </div>
    );
  }
  const last = pilots.data.find((p) => p.plan.goal);
  const shown = open ?? (mode === 'new' ? undefined : last);
  const trim = trims.data.find((t) => t.id === owner.trimInForce) ?? trims.data[0];
  if (shown) return <Carried rig={owner} pilot={shown} trims={trims.data} />;
  if (!trim) return <p className="p-4 text-soft">There is no trim yet.</p>;
  return <NewTuning rig={owner} trims={trims.data} from={trim} />;
}

/** A tuning under way, or what the last one came to. */
function Carried({ rig, pilot, trims }: { rig: Rig; pilot: Pilot; trims: Trim[] }) {
  const ended = pilot.state === 'ended';
  const steps = pilot.plan.steps.map((kind, i) => {
    const alike = pilot.done.filter((d) => d.kind === kind);
    // Of steps that are carried out anew the last counts; those of measuring up stand for themselves.
    const done = kind === 'measure' ? alike[i] : alike.at(-1);
    const state = !ended && i === pilot.step ? 'now' : i >= pilot.step ? 'to come' : done?.skipped ? 'skipped' : 'done';
    const trim = trims.find((t) => t.id === done?.trim);
    return { kind, state: state as 'now' | 'to come' | 'skipped' | 'done', kept: done?.kept, trim, words: done?.words };
  });
  return (
    <SheetWithDock
      dock={ended ? <Ended rig={rig} pilot={pilot} trims={trims} /> : <AtWork rig={rig} pilot={pilot} trims={trims} />}
    >
      <Heading note={`${ended ? 'ended' : 'under way'}, from ${name(trims, pilot.trim)}`}>
        {measures(pilot) ? titleOf(pilot) : `Tuning: ${pilot.plan.goal}`}
      </Heading>
      <PlanChart steps={steps.map((s) => ({ ...s, below: s.trim ? trimName(s.trim) : '' }))} />
      <StepTable rig={rig.id} pilot={pilot} trims={trims} />
    </SheetWithDock>
  );
}

const name = (trims: Trim[], id: number) => {
  const trim = trims.find((t) => t.id === id);
  return trim ? trimName(trim) : 'a trim that is gone';
};

function Ended({ rig, pilot, trims }: { rig: Rig; pilot: Pilot; trims: Trim[] }) {
  const found = trims.find((t) => t.id === pilot.found);
  const compared = pilot.done.find((d) => d.kind === 'comparison' && d.kept);
  return (
    <>
      <Section title={pilot.problem ? 'It gave up' : 'Done'} note={`${roughly(60 * pilot.spentMin)} of bench time`}>
        <div data-pilot="ended" className="text-[13px]">
          {pilot.problem && <p className="text-caution">{pilot.problem}.</p>}
          {found && (
            <p>
              {pilot.problem ? 'It had found' : 'It found and proved'}{' '}
              <Link href={sheetPath(rig.id, 'trim', found.id)} className="underline">
                {trimName(found)} {found.name}
              </Link>
              , after {count(pilot.orders, 'trial')} of depths, {count(pilot.crashes, 'crash', 'es')} and{' '}
              {count(pilot.clears, 'clear')}.
            </p>
          )}
        </div>
      </Section>
      {compared && found && (
        <Section title={`Against ${name(trims, pilot.trim)}`} note="interleaved">
          <ul className="text-[15px] font-semibold" data-gained>
            {told(compared.words).map((w) => (
              <li key={w}>{w}</li>
            ))}
          </ul>
          <Link href={sheetPath(rig.id, 'compare', pilot.trim, found.id)} className="text-[13px] underline">
            The whole comparison
          </Link>
        </Section>
      )}
      <Link href={sheetPath(rig.id, 'tuning', 0, 'new')} className="text-[13px] font-semibold underline">
        Plan another tuning
      </Link>
    </>
  );
}

/** What a comparison showed, thing by thing, and then what it did not. */
const told = (words: string) =>
  words.split('; ').flatMap((part) => (part.startsWith('no difference') ? [part] : part.split(', ')));
