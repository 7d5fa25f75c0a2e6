import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import type { Rig } from '../api/client';
import { useTrouble } from '../api/live';
import { trimsQuery } from '../api/queries';
import { Sim } from '../ui/elements';
import { timeOfDay, trimName } from '../ui/format';
import { type SheetWord, sheetPath } from '../ui/sheet';
import { Standing } from '../ui/standing';
import { toggleChart, useChart } from '../ui/theme';
import { Who } from './who';

/** The left edge: a line per rig, with what it does and the trim in force. */
export function FleetRail({ rigs, current, sheet }: { rigs: Rig[]; current: number; sheet: SheetWord }) {
  const chart = useChart();
  const trouble = useTrouble();
  return (
    <nav aria-label="Fleet" className="flex flex-col border-r border-line [grid-area:rail]">
      <p className="px-3.5 py-3 font-bold tracking-[0.09em]">ZERO KEEL</p>
      {trouble && (
        <p role="alert" className="bg-buff px-3.5 py-1.5 text-[13px]" data-trouble="">
          <span aria-hidden="true">✕ </span>
          {trouble}. What is shown may be old.
        </p>
      )}
      <div className="min-h-0 overflow-y-auto">
        {groups(rigs.filter((r) => !r.retired || r.id === current)).map(({ name, rigs: own }) =>
          name ? (
            <RigGroup key={name} name={name} rigs={own} current={current} sheet={sheet} />
          ) : (
            <RigList key={own[0]?.id} rigs={own} current={current} sheet={sheet} />
          ),
        )}
      </div>
      <div className="mt-auto px-3.5 py-2 text-[13px]">
        <FootLink rig={current} word="add" sheet={sheet}>
          New rig
        </FootLink>
        <FootLink rig={current} word="parts" sheet={sheet}>
          Part sheets
        </FootLink>
        <FootLink rig={current} word="records" sheet={sheet}>
          Records
        </FootLink>
        <FootLink rig={current} word="workshop" sheet={sheet}>
          Workshop
        </FootLink>
      </div>
      <Who rig={current} sheet={sheet} />
      <button type="button" onClick={toggleChart} className="px-3.5 py-3 text-left text-[13px] text-soft">
        {chart === 'night' ? 'Day chart' : 'Night chart'}
      </button>
    </nav>
  );
}

function FootLink(at: { rig: number; word: SheetWord; sheet: SheetWord; children: string }) {
  return (
    <Link
      href={sheetPath(at.rig, at.word)}
      aria-current={at.sheet === at.word ? 'true' : undefined}
      className="block text-soft aria-[current]:text-ink"
    >
      {at.children}
    </Link>
  );
}

interface ListProps {
  rigs: Rig[];
  current: number;
  sheet: SheetWord;
}

function RigList({ rigs, current, sheet }: ListProps) {
  return (
    <ul>
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
  );
}

/** From how many rigs on the rail groups them, and how many of one processor make a group. */
const longRail = 12;
const leastGroup = 3;

/** Rigs in their order; on a long rail those with the same processor stand together, where the first of them stood. */
function groups(rigs: Rig[]): { name?: string; rigs: Rig[] }[] {
  if (rigs.length <= longRail) return rigs.length > 0 ? [{ rigs }] : [];
  const out: { name?: string; rigs: Rig[] }[] = [];
  for (const rig of rigs) {
    const name = rig.parts?.processor;
    const like = name ? rigs.filter((r) => r.parts?.processor === name) : [];
    if (like.length < leastGroup) out.push({ rigs: [rig] });
    else if (like[0] === rig) out.push({ name, rigs: like });
  }
  return out;
}

const troubled = (rig: Rig) => rig.absentSince != null || rig.lostTrim != null || rig.raised.length > 0;

function RigGroup({ name, rigs, current, sheet }: ListProps & { name: string }) {
  const wrong = rigs.filter(troubled);
  return (
    <details open={rigs.some((r) => r.id === current)} data-rig-group={name}>
      <summary className="cursor-pointer px-3 py-1.5">
        <span className="font-semibold">{name}</span> <span className="text-[13px] text-soft">{rigs.length} rigs</span>
        {wrong.length > 0 && (
          <span className="block text-[13px] text-caution">
            <span aria-hidden="true">✕ </span>
            {wrong.map((r) => r.name).join(', ')}
          </span>
        )}
      </summary>
      <RigList rigs={rigs} current={current} sheet={sheet} />
    </details>
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
