import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { useLocation } from 'wouter';
import { api, type Rig, type Schemas, type Trim, take } from '../../api/client';
import { goalsQuery, type TuningAsk, tuningQuery } from '../../api/queries';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { num, roughly, trimName } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { stepNames, surveys } from '../pilot/at-work';
import { PlanChart } from './plan-chart';
import { usePlanned } from './planned';

type Step = Schemas['TuningStep'];

/** What a builder asks of a tuning; what is left empty is not bounded. */
interface Form {
  goal: string;
  trim: number;
  hours: number;
  days: number;
  clears: number;
  watts?: number;
  abortC?: number;
  volts?: number;
  from?: number;
  to?: number;
  byStep: boolean;
  leave: string[];
}

/** A tuning drawn before it begins: the goal, the bounds, and the way there. */
export function NewTuning({ rig, trims, from }: { rig: Rig; trims: Trim[]; from: Trim }) {
  const goals = useQuery(goalsQuery);
  const [form, setForm] = useState<Form>({
    goal: rig.goal || 'cool',
    trim: from.id,
    hours: 8,
    days: 20,
    clears: 5,
    byStep: false,
    leave: [],
  });
  const set = (change: Partial<Form>) => setForm({ ...form, ...change });
  const ask: TuningAsk = {
    goal: form.goal,
    trim: form.trim,
    minutes: 60 * form.hours,
    risk: 1 / form.days,
    clears: form.clears,
    abortC: form.abortC,
    watts: form.watts,
    volts: form.volts,
    leave: form.leave,
  };
  const plan = useQuery(tuningQuery(rig.id, ask));
  const show = usePlanned(rig.id);
  const steps = plan.data?.steps ?? [];
  const coming = steps
    .filter((s) => !s.skip && (s.changes.length > 0 || surveys.includes(s.kind)))
    .map((s) => stepNames[s.kind] ?? s.kind)
    .join();
  useEffect(() => {
    show({ from: form.trim, names: coming ? coming.split(',') : [] });
    return () => show({ names: [] });
  }, [coming, form.trim, show]);
  const [, go] = useLocation();
  const start = useMutation({
    meta: { touches: ['pilot', 'trim'] },
    onSuccess: () => go(sheetPath(rig.id, 'tuning')),
    mutationFn: () => {
      const { from: begin, to: end } = form;
      const hours = begin !== undefined && end !== undefined ? { from: begin, to: end } : undefined;
      return take(
        api.POST('/api/rigs/{rig}/pilots', {
          params: { path: { rig: rig.id } },
          body: { ...ask, byStep: form.byStep, hours },
        }),
      );
    },
  });
  const faults = plan.data?.faults ?? [];
  return (
    <SheetWithDock
      dock={
        <>
          <Bounds form={form} set={set} trims={trims} />
          {plan.data && (
            <Section title="To be expected">
              <dl className="grid grid-cols-[1fr_auto] text-[13px]">
                <dt className="text-soft">Bench time</dt>
                <dd className="num text-right">{roughly(60 * plan.data.minutes)}</dd>
                <dt className="text-soft">Restarts</dt>
                <dd className="num text-right">about {num(plan.data.restarts)}</dd>
                <dt className="text-soft">Clears</dt>
                <dd className="num text-right">
                  about {num(plan.data.clears)}, at most {form.clears}
                </dd>
              </dl>
            </Section>
          )}
          {faults.map((f) => (
            <p
              key={f.field + f.problem}
              role="alert"
              className="mb-2 border-l-2 border-caution pl-2 text-[13px] text-caution"
            >
              {f.problem}; {f.remedy}.
            </p>
          ))}
          <Button
            main
            disabled={!rig.linked || !plan.data || plan.isPlaceholderData || faults.length > 0 || start.isPending}
            onClick={() => start.mutate()}
          >
            Start the tuning
          </Button>
          <Problem error={start.error ?? plan.error} />
        </>
      }
    >
      <Heading note={`from ${trimName(trims.find((t) => t.id === form.trim) ?? from)}, unattended`}>
        What shall {rig.name} become?
      </Heading>
      <fieldset className="mb-3 grid grid-cols-2 gap-x-6 gap-y-1">
        <legend className="sr-only">Goal</legend>
        {goals.data?.map((g) => (
          <label key={g.goal} className="flex items-baseline gap-2">
            <input
              type="radio"
              name="goal"
              value={g.goal}
              checked={form.goal === g.goal}
              onChange={() => set({ goal: g.goal, leave: [] })}
            />
            <span className="leading-tight">
              <span className="font-semibold">{g.goal}</span>
              <span className="block text-[12.5px] text-soft">{g.wants}</span>
            </span>
          </label>
        ))}
      </fieldset>
      {steps.length > 0 && (
        <PlanChart
          steps={steps.map((s) => ({
            kind: s.kind,
            state: s.skip ? 'skipped' : 'to come',
            below: s.watts != null && !s.skip ? `${num(s.watts)} W` : '',
            takes: s.skip ? '' : s.minutes > 0 ? roughly(60 * s.minutes) : '',
          }))}
        />
      )}
      <Steps steps={steps} leave={form.leave} onLeave={(leave) => set({ leave })} />
    </SheetWithDock>
  );
}

interface StepsProps {
  steps: Step[];
  leave: string[];
  onLeave: (leave: string[]) => void;
}

/** Each step: what it is for, what it changes, and what could go wrong. */
function Steps({ steps, leave, onLeave }: StepsProps) {
  if (steps.length === 0) return null;
  return (
    <table className="table-thin w-full text-[13px]">
      <thead>
        <tr>
          <th>Step</th>
          <th>What for</th>
          <th>Changes</th>
          <th className="right">Expected</th>
        </tr>
      </thead>
      <tbody>
        {steps.map((s) => (
          <tr key={s.kind} data-plan={s.kind} className={s.skip ? 'text-soft' : ''}>
            <td className="whitespace-nowrap align-top">
              <label className="flex items-baseline gap-1.5">
                <input
                  type="checkbox"
                  checked={!s.skip}
                  disabled={s.skip !== '' && !leave.includes(s.kind)}
                  onChange={() =>
                    onLeave(leave.includes(s.kind) ? leave.filter((k) => k !== s.kind) : [...leave, s.kind])
                  }
                />
                {stepNames[s.kind] ?? s.kind}
              </label>
            </td>
            <td className="align-top">
              {s.skip ? `Left out: ${leave.includes(s.kind) ? 'by you' : s.skip}` : s.why}
              {s.wrong && <span className="block text-[12.5px] text-soft">{s.wrong}</span>}
            </td>
            <td className="align-top">
              {s.changes.map((c) => (
                <span key={c.key} className="block whitespace-nowrap text-[12.5px]">
                  {c.name} <span className="num">{c.values.at(-1)}</span>
                </span>
              ))}
            </td>
            <td className="right align-top whitespace-nowrap">
              {s.watts != null && !s.skip && (
                <span className="forecast num px-0.5">
                  {num(s.watts)} W{s.degrees != null && `, ${num(s.degrees)} °C`}
                </span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface BoundsProps {
  form: Form;
  set: (change: Partial<Form>) => void;
  trims: Trim[];
}

/** What the pilot never passes. */
function Bounds({ form, set, trims }: BoundsProps) {
  const field = 'num w-[72px] border border-line bg-sheet px-1 py-0.5 text-right';
  const number = (
    key: 'hours' | 'clears' | 'days' | 'watts' | 'abortC' | 'volts' | 'from' | 'to',
    label: string,
    unit: string,
  ) => (
    <>
      <label htmlFor={`bound-${key}`}>{label}</label>
      <span className="flex items-baseline gap-1">
        <input
          id={`bound-${key}`}
          type="number"
          className={field}
          value={form[key] ?? ''}
          placeholder="any"
          step={key === 'volts' ? 0.005 : 1}
          onChange={(e) => set({ [key]: e.target.value === '' ? undefined : Number(e.target.value) })}
        />
        <span className="w-[3.2em] text-soft">{unit}</span>
      </span>
    </>
  );
  return (
    <Section title="Bounds" note="never passed">
      <div className="mb-1 flex items-baseline gap-2 text-[13px]">
        <label htmlFor="bound-trim" className="whitespace-nowrap">
          Begin with
        </label>
        <select
          id="bound-trim"
          value={form.trim}
          className="min-w-0 flex-1 border border-line bg-sheet px-1 py-0.5"
          onChange={(e) => set({ trim: Number(e.target.value) })}
        >
          {trims
            .filter((t) => t.pilot == null && t.standing !== 'failed')
            .map((t) => (
              <option key={t.id} value={t.id}>
                {trimName(t)} {t.number === 0 ? '' : t.name}
              </option>
            ))}
        </select>
      </div>
      <div className="grid grid-cols-[1fr_auto] items-center gap-x-2 gap-y-1 text-[13px]">
        {number('hours', 'Bench time', 'h')}
        {number('days', 'One fault allowed in', 'days')}
        {number('clears', 'Clears', '')}
        {number('watts', 'Package power', 'W')}
        {number('abortC', 'Hottest core', '°C')}
        {number('volts', 'Core voltage', 'V')}
        {number('from', 'Begins things from', 'h')}
        {number('to', 'until', 'h')}
        <label htmlFor="by-step">Pause after steps</label>
        <input
          id="by-step"
          type="checkbox"
          className="justify-self-start"
          checked={form.byStep}
          onChange={(e) => set({ byStep: e.target.checked })}
        />
      </div>
    </Section>
  );
}
