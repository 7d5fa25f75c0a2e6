import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import { api, type Rig, type Schemas, type Trim, take } from '../../api/client';
import { Confirm } from '../../ui/confirm';
import { Button, Problem, Section } from '../../ui/elements';
import { loadNames, num, roughly, trimName } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { settingWithUnit } from '../soundings/depth';

type Pilot = Schemas['Pilot'];

/** Whether a pilot measures a machine up, in place of tuning it. */
export const measures = (pilot: Pilot) => pilot.plan.goal === 'measure up';

/** What a pilot carries out. */
export function titleOf(pilot: Pilot): string {
  if (measures(pilot)) return 'Measuring up';
  return pilot.plan.goal ? 'Tuning' : 'Survey';
}

/** What a pilot does, in a line. */
export function doing(pilot: Pilot): string {
  if (pilot.state === 'paused') return 'paused';
  if (pilot.endAsked) return 'ends: back to the last trim that held';
  if (pilot.pauseAsked) return 'goes back to the last trim that held, to pause';
  if (pilot.waits) return `waits for its hours, ${pilot.plan.hours ? between(pilot.plan.hours) : ''}`;
  const step = surveys.includes(pilot.phase)
    ? `sounding ${pilot.orders}`
    : (stepNames[pilot.phase] ?? pilot.phase).toLowerCase();
  switch (pilot.now?.doing) {
    case 'fitting':
      return `fits ${step}`;
    case 'card':
      return `waits for the card of ${step} to be entered`;
    case 'trial':
      return pilot.phase === 'proof' ? 'proves what it found' : `${step} runs`;
    case 'comparing':
      return 'compares with the baseline';
    default:
      return 'plans the next step';
  }
}

/** Hours of the day, as "20 to 8 h". */
const between = (h: Schemas['Hours']) => `${h.from} to ${h.to} h`;

/** What the steps of a tuning are called. */
export const stepNames: Record<string, string> = {
  baseline: 'Baseline',
  memory: 'Memory',
  limits: 'Limits',
  clocks: 'Clocks',
  ratio: 'Ratio',
  'load line': 'Load line',
  depths: 'Depths',
  bands: 'Bands',
  power: 'Power',
  fans: 'Fans',
  proof: 'Proof',
  comparison: 'Comparison',
  measure: 'Measuring',
};

/** Those that are surveys. */
export const surveys = ['load line', 'depths', 'bands'];

export function useAskPilot() {
  return useMutation({
    meta: { touches: ['pilot'] },
    mutationFn: ({ pilot, what }: { pilot: number; what: 'pause' | 'resume' | 'end' }) =>
      take(api.POST(`/api/pilots/{pilot}/${what}`, { params: { path: { pilot } } })),
  });
}

interface AtWorkProps {
  rig: Rig;
  pilot: Pilot;
  trims: Trim[];
  /** The unit of a depth, where one is surveyed. */
  unit?: Pick<Schemas['Soundings'], 'unit' | 'zero' | 'per'>;
}

/** A pilot at work or paused: what it does and why, what it has left, and how to pause and end it. */
export function AtWork({ rig, pilot, trims, unit }: AtWorkProps) {
  const ask = useAskPilot();
  const [ending, setEnding] = useState(false);
  const { now } = pilot;
  const base = trims.find((t) => t.id === pilot.from);
  const what = pilot.plan.goal ? 'tuning' : 'survey';
  const asked = pilot.pauseAsked || pilot.endAsked;
  return (
    <Section title={titleOf(pilot)} note={doing(pilot)}>
      <div data-pilot={pilot.state}>
        {now && pilot.state === 'flying' && (
          <>
            <p className="text-[13px]">{now.why.replace(/\.?$/, '.')}</p>
            {pilot.waitsFor !== '' && <p className="mt-0.5 text-[13px] font-semibold">It waits: {pilot.waitsFor}.</p>}
            {now.legs.length > 0 && (
              <p className="num mt-0.5 text-[12.5px] text-soft">
                {now.legs
                  .map((l) => `${loadNames[l.load] ?? l.load} ${num(l.minutes, l.minutes < 10 ? 1 : 0)} min`)
                  .join(' · ')}
              </p>
            )}
            {now.depths.length > 0 && (
              <p className="text-[13px]">
                Fails with a chance of <span className="num">{num(100 * now.fails)} %</span>
              </p>
            )}
          </>
        )}
        {now?.doing === 'card' && (
          <Link href={sheetPath(rig.id, 'fitting')} className="text-[13px] font-semibold underline">
            The card to type from
          </Link>
        )}
        {pilot.state === 'paused' && (
          <p className="text-[13px]">
            {base && trimName(base)} is in force. Fit and try what you like; it counts when the {what} goes on.
          </p>
        )}
        <dl className="row-rule mt-1 grid grid-cols-[1fr_auto] text-[13px]">
          <Row name="Bench time left" value={`${roughly(60 * pilot.leftMin)} of ${roughly(60 * pilot.plan.minutes)}`} />
          <Row name="Trials" value={num(pilot.orders)} />
          <Row name="Restarts, crashes" value={`${pilot.fittings}, ${pilot.crashes}`} />
          <Row name="Clears" value={`${pilot.clears} of ${pilot.plan.clears} allowed`} />
          <Row
            name="An hour more buys"
            value={pilot.orders > 2 ? `${num(pilot.hourBuys, 1)} steps` : 'not known yet'}
          />
          {unit && <Row name="Never deeper than" value={settingWithUnit(unit, pilot.plan.deepest)} />}
          {pilot.plan.watts != null && <Row name="Never more than" value={`${num(pilot.plan.watts)} W`} />}
          {pilot.plan.abortC != null && <Row name="Never hotter than" value={`${num(pilot.plan.abortC)} °C`} />}
          {pilot.plan.volts != null && <Row name="Never above" value={`${num(pilot.plan.volts, 3)} V`} />}
          {pilot.plan.hours && <Row name="Begins things" value={between(pilot.plan.hours)} />}
        </dl>
        <div className="mt-2 flex gap-2">
          {pilot.state === 'paused' ? (
            <Button
              main
              disabled={ask.isPending || pilot.endAsked}
              onClick={() => ask.mutate({ pilot: pilot.id, what: 'resume' })}
            >
              Go on
            </Button>
          ) : (
            <Button disabled={ask.isPending || asked} onClick={() => ask.mutate({ pilot: pilot.id, what: 'pause' })}>
              Pause
            </Button>
          )}
          <Button disabled={ask.isPending || pilot.endAsked} onClick={() => setEnding(true)}>
            End
          </Button>
        </div>
      </div>
      <Confirm
        open={ending}
        onOpenChange={setEnding}
        title={`End the ${what}?`}
        action="End it"
        onConfirm={() => ask.mutate({ pilot: pilot.id, what: 'end' })}
      >
        The trial at hand is stopped, and {base ? trimName(base) : 'the last trim that held'} is fitted on {rig.name}{' '}
        again. What was tried stays on record, and counts.
      </Confirm>
      <Problem error={ask.error} />
    </Section>
  );
}

const Row = ({ name, value }: { name: string; value: string }) => (
  <>
    <dt className="text-soft">{name}</dt>
    <dd className="num text-right">{value}</dd>
  </>
);
