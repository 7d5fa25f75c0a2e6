import { useQuery } from '@tanstack/react-query';
import type { Leg, Trial } from '../../api/client';
import { yardsticksQuery } from '../../api/queries';
import { Section, Verdict } from '../../ui/elements';
import { loadNames, num, span } from '../../ui/format';

/** Events that speak against nothing by themselves. */
const mild = new Set(['mark', 'corrected', 'throttled']);

/** The legs as a timetable, with what was found in each. */
export function Legs({ trial }: { trial: Trial }) {
  const yardsticks = useQuery(yardsticksQuery);
  const yardstick = (leg: Leg) => yardsticks.data?.find((y) => y.id === leg.yardstick);
  return (
    <Section title="Legs">
      <ol className="row-rule" data-legs="">
        {trial.legs.map((leg) => (
          <li key={leg.id} className="py-1">
            <p className="flex justify-between">
              <span>{leg.yardstick ? (yardstick(leg)?.name ?? leg.yardstick) : loadNames[leg.load]}</span>
              <span className="num">{time(leg)}</span>
            </p>
            <p className="flex justify-between gap-2 text-[13px]">
              <span className="truncate text-soft">
                {leg.score != null
                  ? `${num(leg.score, leg.score < 1000 ? 2 : 0)} ${yardstick(leg)?.unit ?? ''}`
                  : cores(leg)}
              </span>
              {leg.verdict ? (
                <span className="whitespace-nowrap">
                  <Verdict verdict={leg.verdict} />
                </span>
              ) : (
                <span className="text-soft">{leg.state}</span>
              )}
            </p>
            {leg.evidence
              .filter((e) => e.text)
              .map((e) => (
                <p key={e.text + e.atS} className="text-[13px] text-caution">
                  <span className="num">{span(e.atS)}</span> {e.text}
                </p>
              ))}
          </li>
        ))}
      </ol>
      {trial.events.length > 0 && (
        <ul className="mt-2 text-[13px]">
          {trial.events.map((e) => (
            <li key={e.id} className={mild.has(e.kind) ? 'text-soft' : 'text-caution'}>
              <span className="num">{span(e.atS)}</span> {e.kind}
              {e.core >= 0 && ` on core ${e.core}`}
              {e.injected && ', caused on purpose'}
              {e.kind !== 'miscalculated' && e.text && `: ${e.text}`}
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}

function time(leg: Leg): string {
  if (leg.state === 'running') return `${span(leg.ranS)} of ${span(leg.seconds)}`;
  return span(leg.verdict ? leg.ranS : leg.seconds);
}

function cores(leg: Leg): string {
  const parts = [leg.cores.length === 1 ? `core ${leg.cores[0]}` : `${leg.cores.length} cores`];
  if (leg.width && leg.width !== 'widest') parts.push(leg.width === 'portable' ? 'no vectors' : `${leg.width} bit`);
  if (leg.targetC) parts.push(`at ${num(leg.targetC)} °C`);
  if (leg.abortC) parts.push(`ends at ${num(leg.abortC)} °C`);
  if (leg.coverage != null) parts.push(`${num(100 * leg.coverage)} % covered`);
  if (leg.others != null && leg.others >= 0.05) parts.push(`others ${num(100 * leg.others)} %`);
  return parts.join(', ');
}
