import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import type { Rig } from '../api/client';
import { trimsQuery } from '../api/queries';
import { Sim } from '../ui/elements';
import { timeOfDay, trimName } from '../ui/format';
import { type SheetWord, sheetPath } from '../ui/sheet';
import { Standing } from '../ui/standing';
import { toggleChart, useChart } from '../ui/theme';

/** The left edge: a line per rig, with what it does and the trim in force. */
export function FleetRail({ rigs, current, sheet }: { rigs: Rig[]; current: number; sheet: SheetWord }) {
  const chart = useChart();
  return (
    <nav aria-label="Fleet" className="flex flex-col border-r border-line [grid-area:rail]">
      <p className="px-3.5 py-3 font-bold tracking-[0.09em]">ZERO KEEL</p>
      <ul className="min-h-0 overflow-y-auto">
        {rigs.map((rig) => (
          <li key={rig.id}>
            <Link
              href={sheetPath(rig.id, sheet)}
              aria-current={rig.id === current ? 'true' : undefined}
              className="block border-l-[3px] border-transparent px-3 py-1.5 aria-[current]:border-ink aria-[current]:bg-sheet"
            >
              <span className="flex items-center gap-1.5">
                <span className="font-semibold">{rig.name}</span> {rig.simulated && <Sim />}
                {rig.state !== 'idle' && !rig.absentSince && <span className="ml-auto text-[12.5px]">{rig.state}</span>}
              </span>
              {rig.absentSince && (
                <span
                  className={`block text-[13px] ${rig.state === 'froze' ? 'text-caution' : ''}`}
                  data-rig-state={rig.state}
                >
                  {rig.state} since {timeOfDay(rig.absentSince)}
                </span>
              )}
              {rig.lostTrim != null && (
                <span className="block text-[13px] text-caution">
                  <span aria-hidden="true">✕ </span>lost its trim
                </span>
              )}
              {rig.raised.map((message) => (
                <span key={message} className="block truncate text-[13px] text-caution" data-raised="">
                  <span aria-hidden="true">▲ </span>
                  {message}
                </span>
              ))}
              <InForce rig={rig} />
            </Link>
          </li>
        ))}
      </ul>
      <Link
        href={sheetPath(current, 'parts')}
        aria-current={sheet === 'parts' ? 'true' : undefined}
        className="mt-auto px-3.5 pt-3 text-[13px] text-soft aria-[current]:text-ink"
      >
        Part sheets
      </Link>
      <button type="button" onClick={toggleChart} className=" px-3.5 py-3 text-left text-[13px] text-soft">
        {chart === 'night' ? 'Day chart' : 'Night chart'}
      </button>
    </nav>
  );
}

function InForce({ rig }: { rig: Rig }) {
  const trims = useQuery(trimsQuery(rig.id));
  const trim = trims.data?.find((t) => t.id === rig.trimInForce);
  if (!trim) return <span className="block text-[13px] text-soft">no trim known in force</span>;
  return (
    <span className="block text-[13px]">
      <span className="text-soft">{trimName(trim)} </span>
      <Standing standing={trim.standing} />
    </span>
  );
}
