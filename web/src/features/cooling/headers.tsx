import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useLocation } from 'wouter';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { Button, Problem, Section } from '../../ui/elements';
import { num } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { roles } from './curve';

type Header = Schemas['FanHeader'];

/** The headers of a rig: what hangs on each, and how to learn it. */
export function Headers({ rig, at }: { rig: Rig; at: Schemas['Cooling'] }) {
  return (
    <Section title="Headers" note={bySource[at.known]}>
      {at.headers.map((h) => (
        <HeaderItem key={h.key} rig={rig} header={h} fan={at.fan} />
      ))}
    </Section>
  );
}

const bySource: Record<string, string> = {
  sheet: 'the cooler’s fan by its sheet',
  sweep: 'the cooler’s fan as it was learnt',
  entered: 'the cooler’s fan as entered',
};

function HeaderItem({ rig, header, fan }: { rig: Rig; header: Header; fan: Schemas['FanOf'] }) {
  const [, go] = useLocation();
  const [enters, setEnters] = useState(false);
  const [pump, setPump] = useState(header.role === 'pump');
  const sweep = useMutation({
    meta: { touches: ['trial', 'rig'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/headers/sweep', {
          params: { path: { rig: rig.id } },
          body: { header: header.key, pump },
        }),
      ),
    onSuccess: (trial) => go(sheetPath(rig.id, 'trial', trial.id)),
  });
  const change = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: (body: Omit<Schemas['FanChange'], 'header'>) =>
      take(
        api.PUT('/api/rigs/{rig}/headers', {
          params: { path: { rig: rig.id } },
          body: { header: header.key, ...body },
        }),
      ),
    onSuccess: () => setEnters(false),
  });
  return (
    <div className="border-t border-dotted border-line py-1.5 text-[13px] first:border-0" data-header={header.key}>
      <p className="flex items-baseline justify-between gap-2">
        <span>{header.label}</span>
        <select
          aria-label={`what hangs on ${header.label}`}
          className="border border-line bg-sheet px-1"
          value={header.role}
          onChange={(e) => change.mutate({ role: e.target.value })}
        >
          {header.role === '' && <option value="">not known</option>}
          {Object.entries(roles).map(([role, words]) => (
            <option key={role} value={role}>
              {words}
            </option>
          ))}
        </select>
      </p>
      {header.learnt && <Learnt header={header} rig={rig.id} />}
      {header.problem !== '' && <p className="text-caution">✕ {header.problem}.</p>}
      <p className="mt-1 flex flex-wrap items-baseline gap-2">
        {header.can && (
          <>
            <Button disabled={sweep.isPending || !rig.linked} onClick={() => sweep.mutate()}>
              Learn it
            </Button>
            <label className="flex items-baseline gap-1 text-soft">
              <input type="checkbox" checked={pump} onChange={(e) => setPump(e.target.checked)} /> a pump: not below 60
              %
            </label>
          </>
        )}
        {!header.can && (
          <Button reads onClick={() => setEnters(!enters)}>
            Enter what it does
          </Button>
        )}
      </p>
      {enters && <Entered fan={fan} onEnter={(entered) => change.mutate({ entered })} />}
      <Problem error={sweep.error ?? change.error} />
    </div>
  );
}

/** What a sweep showed, in words. */
function Learnt({ header, rig }: { header: Header; rig: number }) {
  const l = header.learnt;
  const top = l?.speeds.at(-1);
  const first = l?.speeds[0];
  if (!l || !top || !first) return null;
  const other = l.answers.filter((a) => a.replace(/\D/g, '') !== header.key.replace(/\D/g, ''));
  return (
    <p className="text-soft">
      {l.stops
        ? `Stops below ${num(l.stall)} %, starts at ${num(l.start)} %: `
        : `Never stops, ${num(first.rpm)} rpm at ${num(first.duty)} %: `}
      <span className="num text-ink">
        {num(first.rpm)} to {num(top.rpm)} rpm
      </span>
      {l.pump && ', as pumps do'}
      {other.length > 0 && `; ${other.join(', ')} answers`}
      {l.unsteady && '; still moving when the next step came, so its speeds are rough'}.{' '}
      {header.trial > 0 ? (
        <Link className="underline" href={sheetPath(rig, 'trial', header.trial)}>
          Its sweep
        </Link>
      ) : (
        'Entered.'
      )}
    </p>
  );
}

const fields = [
  ['stallDuty', 'stops below', '%'],
  ['startDuty', 'starts at', '%'],
  ['minRPM', 'slowest', 'rpm'],
  ['maxRPM', 'fastest', 'rpm'],
  ['maxNoise', 'then as loud as', 'dB(A)'],
] as const;

/** A fan whose header the rig cannot set is read by hand: at a fixed duty in the firmware, one after the other. */
function Entered({ fan, onEnter }: { fan: Schemas['FanOf']; onEnter: (fan: Schemas['FanOf']) => void }) {
  const [entered, setEntered] = useState({ ...fan, speeds: undefined });
  return (
    <form
      className="mt-1 grid grid-cols-[1fr_auto_auto] items-baseline gap-x-1.5 gap-y-1"
      onSubmit={(e) => {
        e.preventDefault();
        onEnter(entered);
      }}
    >
      {fields.map(([key, word, unit]) => (
        <label key={key} className="contents">
          <span className="text-soft">{word}</span>
          <input
            className="num w-16 border border-line bg-sheet px-1 text-right"
            type="number"
            step="any"
            value={entered[key]}
            onChange={(e) => setEntered({ ...entered, [key]: Number(e.target.value) })}
          />
          <span className="text-soft">{unit}</span>
        </label>
      ))}
      <Button type="submit" className="col-span-3 justify-self-start">
        Enter
      </Button>
    </form>
  );
}
