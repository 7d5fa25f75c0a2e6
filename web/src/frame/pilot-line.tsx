import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import type { Rig } from '../api/client';
import { pilotsQuery } from '../api/queries';
import { doing, titleOf, useAskPilot } from '../features/pilot/at-work';
import { Button } from '../ui/elements';
import { roughly } from '../ui/format';
import { sheetPath } from '../ui/sheet';

/** A pilot at work is seen from every sheet: what it does, how long it has left, and how to pause it. */
export function PilotLine({ rig }: { rig: Rig }) {
  const pilot = useQuery(pilotsQuery(rig.id)).data?.[0];
  const ask = useAskPilot();
  if (!pilot || pilot.state === 'ended') return null;
  return (
    <p
      className="flex items-center gap-3 border-b border-line bg-tint-1 px-4 py-1 text-[13px]"
      data-pilot-line={pilot.state}
    >
      <Link href={sheetPath(rig.id, pilot.plan.goal ? 'tuning' : 'soundings')} className="font-semibold">
        {titleOf(pilot)}
      </Link>
      <span className="min-w-0 truncate">
        {doing(pilot)}
        {pilot.state === 'flying' && pilot.now && <span className="text-soft"> · {pilot.now.why}</span>}
      </span>
      <span className="num ml-auto whitespace-nowrap text-soft">{roughly(60 * pilot.leftMin)} left</span>
      {pilot.state === 'flying' && (
        <Button
          className="py-0"
          disabled={ask.isPending || pilot.pauseAsked || pilot.endAsked}
          onClick={() => ask.mutate({ pilot: pilot.id, what: 'pause' })}
        >
          Pause
        </Button>
      )}
    </p>
  );
}
