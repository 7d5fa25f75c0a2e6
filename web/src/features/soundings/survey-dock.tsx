import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import { api, type Rig, type Schemas, type Trim, take } from '../../api/client';
import { Button, Problem, Section } from '../../ui/elements';
import { count, roughly, trimName } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { AtWork } from '../pilot/at-work';

type Pilot = Schemas['Pilot'];

interface SurveyDockProps {
  rig: Rig;
  trim: Trim;
  pilot?: Pilot;
  risk: number;
  at: Schemas['Soundings'];
  trims: Trim[];
}

/** No setting of a board is finer. */
const rounded = (x: number) => Math.round(x * 1e5) / 1e5;

const hours = [1, 2, 4, 8, 12, 24];

/** A survey: begun, at work, paused, or what the last one found. */
export function SurveyDock({ rig, trim, pilot, risk, at, trims }: SurveyDockProps) {
  if (pilot && pilot.state !== 'ended')
    return <AtWork rig={rig} pilot={pilot} trims={trims} unit={pilot.plan.what === at.what ? at : undefined} />;
  return (
    <>
      {pilot && <Ended rig={rig} pilot={pilot} trims={trims} at={at} />}
      <Begin rig={rig} trim={trim} risk={risk} at={at} />
    </>
  );
}

function Ended({ rig, pilot, trims, at }: { rig: Rig; pilot: Pilot; trims: Trim[]; at: Schemas['Soundings'] }) {
  const found = trims.find((t) => t.id === pilot.found);
  const over =
    found &&
    !pilot.problem &&
    pilot.what === at.what &&
    at.over &&
    at.trim === found.id &&
    at.cores.every((c) => c.keel === c.own);
  return (
    <Section title="Last survey" note={`${pilot.orders} trials in ${roughly(60 * pilot.spentMin)} of bench time`}>
      <p className="text-[13px]" data-pilot="ended">
        {pilot.problem && <span className="text-caution">It gave up: {pilot.problem}. </span>}
        {found && (
          <>
            {pilot.problem ? 'It had found' : 'It found and proved'}{' '}
            <Link href={sheetPath(rig.id, 'trim', found.id)} className="underline">
              {trimName(found)} {found.name}
            </Link>
            , after {count(pilot.crashes, 'crash', 'es')} and {count(pilot.clears, 'clear')}.
          </>
        )}
        {over && (
          <span className="text-caution" data-over>
            {' '}
            Its proof held, and yet by all that is on record a fault in a day is likelier than allowed: {at.at?.words}.
          </span>
        )}
      </p>
    </Section>
  );
}

function Begin({ rig, trim, risk, at }: Omit<SurveyDockProps, 'trims' | 'pilot'>) {
  const [time, setTime] = useState(8);
  const [deepest, setDeepest] = useState<number>();
  const [clears, setClears] = useState(5);
  const start = useMutation({
    meta: { touches: ['pilot'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/pilots', {
          params: { path: { rig: rig.id } },
          body: { trim: trim.id, what: at.what, risk, minutes: 60 * time, deepest: deepest ?? null, clears },
        }),
      ),
  });
  const field = 'num block w-full border border-line bg-sheet px-1 py-0.5 text-right';
  return (
    <Section title="Survey" note={`from ${trimName(trim)}`}>
      <p className="mb-1 text-[13px] text-soft">
        Tries {at.what === 'depths' ? 'depths' : `the ${at.name}`} unattended, fits what it finds, proves it.
      </p>
      <div className="grid grid-cols-3 gap-2 text-[13px]">
        <label>
          Bench time
          <select id="survey-time" value={time} onChange={(e) => setTime(Number(e.target.value))} className={field}>
            {hours.map((h) => (
              <option key={h} value={h}>
                {h} h
              </option>
            ))}
          </select>
        </label>
        <label>
          {at.per < 0 ? 'Highest' : at.unit === 'steps' || at.unit === 'mV' ? 'Deepest' : 'Lowest'}
          {at.unit !== 'steps' && `, ${at.unit}`}
          <input
            id="survey-deepest"
            type="number"
            value={rounded(at.zero + (deepest ?? at.deepest) * at.per)}
            min={rounded(Math.min(at.zero + at.deepest * at.per, at.zero - at.per))}
            max={rounded(Math.max(at.zero + at.deepest * at.per, at.zero - at.per))}
            step={Math.abs(at.per)}
            onChange={(e) => setDeepest(Math.round((Number(e.target.value) - at.zero) / at.per))}
            className={field}
          />
        </label>
        <label>
          Clears
          <input
            id="survey-clears"
            type="number"
            value={clears}
            min={0}
            max={50}
            onChange={(e) => setClears(Number(e.target.value))}
            className={field}
          />
        </label>
      </div>
      <Button main className="mt-2" disabled={!rig.linked || start.isPending} onClick={() => start.mutate()}>
        Start the survey
      </Button>
      <Problem error={start.error} />
    </Section>
  );
}
