import { useQuery } from '@tanstack/react-query';
import type { Rig } from '../api/client';
import { vitalsQuery } from '../api/queries';
import { Sim } from '../ui/elements';
import { decimalsOf, num } from '../ui/format';

/** The top: which machine this is, its room, and its newest figures while it is linked. */
export function RigStrip({ rig }: { rig: Rig }) {
  const { data: beat } = useQuery(vitalsQuery(rig.id));
  const vitals = beat?.vitals ?? rig.vitals;
  const parts = rig.parts
    ? rig.sketched
      ? [rig.parts.processor, rig.inSystem ? 'set in its running system' : rig.parts.board]
      : [rig.parts.processor, rig.parts.board, rig.parts.cooler, rig.parts.memory]
    : [rig.facts ? `${rig.facts.cores} cores · ${num(rig.facts.memoryMB / 1024)} GiB` : 'parts not known'];
  return (
    <div className="flex min-w-0 items-baseline gap-4">
      <span className="flex items-center gap-1.5 text-[18px] font-semibold whitespace-nowrap">
        {rig.name} {rig.simulated && <Sim />}
      </span>
      <span className="truncate text-soft" title={parts.join(' · ')}>
        {parts.join(' · ')}
      </span>
      {rig.linked ? (
        <span className="num flex gap-3 whitespace-nowrap" data-vitals={beat?.seq ?? ''}>
          {vitals.map((v) => (
            <span key={v.key} title={v.label}>
              {num(v.value, decimalsOf(v.unit))} {v.unit}
            </span>
          ))}
        </span>
      ) : (
        <span className="whitespace-nowrap text-caution">not linked</span>
      )}
    </div>
  );
}
