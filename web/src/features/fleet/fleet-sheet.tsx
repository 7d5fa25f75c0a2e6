import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import type { Rig, Schemas } from '../../api/client';
import { fleetQuery, rigsQuery } from '../../api/queries';
import { Empty, Problem, Sim } from '../../ui/elements';
import { count, num, signed, trimName } from '../../ui/format';
import { type SheetWord, sheetPath } from '../../ui/sheet';
import { Standing } from '../../ui/standing';
import { BatchPanel, StartBatch } from './batch';
import { KinSwarms } from './kin-swarms';

type Line = Schemas['FleetLine'];
type Gain = Schemas['FleetGain'];

interface Row {
  rig: Rig;
  line: Line;
}

/** What was won, as columns: the unit stands in the head. */
const won: [Gain['what'], string, string, number][] = [
  ['speed', 'Speed', '%', 1],
  ['power', 'Power', 'W', 0],
  ['heat', 'Heat', 'K', 1],
  ['noise', 'Noise', 'dB(A)', 1],
];

type Order = 'need' | 'name' | 'model' | 'standing' | Gain['what'];

const grades = ['failed', '', 'draft', 'fitted', 'tried', 'held', 'proven'];

const gainOf = (line: Line, what: string) => line.gains.find((g) => g.what === what);

/** What rows are ordered by: numbers and words alike, the lowest first. */
function place({ rig, line }: Row, by: Order): number | string {
  if (by === 'need') return line.need.urgency;
  if (by === 'name') return rig.name;
  if (by === 'model') return rig.parts?.processor ?? '~';
  if (by === 'standing') return grades.indexOf(line.standing);
  const g = gainOf(line, by);
  return g ? (by === 'speed' ? -g.value : g.value) : Number.POSITIVE_INFINITY;
}

/** How do the rigs stand, what did each win, and which of them needs somebody? */
export function FleetSheet() {
  const rigs = useQuery(rigsQuery);
  const fleet = useQuery(fleetQuery);
  const [order, setOrder] = useState<{ by: Order; down: boolean }>({ by: 'need', down: false });
  const [filter, setFilter] = useState('');
  const [chosen, setChosen] = useState<number[]>([]);
  const rows = (fleet.data ?? []).flatMap((line) => {
    const rig = rigs.data?.find((r) => r.id === line.rig);
    return rig ? [{ rig, line }] : [];
  });
  if (fleet.error) return <Problem error={fleet.error} />;
  if (!fleet.data || !rigs.data) return <p className="p-4 text-soft">Looking over the rigs …</p>;
  const asked = /retired/i.test(filter);
  const bench = rows.filter((r) => !r.rig.retired);
  const shown = sorted(
    (asked ? rows : bench).filter((r) => matches(r, filter)),
    order,
  );
  return (
    <div className="h-full overflow-auto px-4 py-3">
      <Summary rows={bench} />
      <BatchPanel rigs={rigs.data} />
      <div className="mt-2 mb-1 flex items-baseline gap-4 text-[13px]">
        <input
          aria-label="Filter the rigs"
          placeholder="Filter: a name, a part, a standing, a need …"
          className="w-72 border border-line bg-sheet px-1.5 py-0.5"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
        />
        {filter && (
          <span className="text-soft" data-filtered={shown.length}>
            {num(shown.length)} of {count(asked ? rows.length : bench.length, 'rig')}
          </span>
        )}
        {!asked && bench.length < rows.length && (
          <button type="button" className="text-soft underline" onClick={() => setFilter('retired')}>
            {num(rows.length - bench.length)} retired
          </button>
        )}
        {rows.some((r) => r.line.stale) && <span className="text-soft">some are being worked out …</span>}
        <a className="ml-auto underline" href="/api/fleet/table">
          CSV
        </a>
      </div>
      {chosen.length > 0 && (
        <StartBatch
          rigs={shown.filter((r) => chosen.includes(r.rig.id)).map((r) => r.rig)}
          onStarted={() => setChosen([])}
        />
      )}
      <table className="table-thin w-full" data-fleet={bench.length}>
        <thead className="sticky -top-3 bg-paper">
          <tr>
            <th className="w-5">
              <input
                type="checkbox"
                aria-label="Choose all that are shown"
                checked={shown.length > 0 && shown.every((r) => chosen.includes(r.rig.id))}
                onChange={(e) => setChosen(e.target.checked ? shown.map((r) => r.rig.id) : [])}
              />
            </th>
            <Head by="name" order={order} onOrder={setOrder}>
              Rig
            </Head>
            <Head by="model" order={order} onOrder={setOrder}>
              What it is
            </Head>
            <Head by="standing" order={order} onOrder={setOrder}>
              Runs
            </Head>
            {won.map(([what, name, unit]) => (
              <Head key={what} by={what} order={order} onOrder={setOrder} right>
                {name} <span className="num text-[11.5px]">{unit}</span>
              </Head>
            ))}
            <Head by="need" order={order} onOrder={setOrder}>
              Needs next
            </Head>
          </tr>
        </thead>
        <tbody>
          {shown.map((r) => (
            <FleetRow
              key={r.rig.id}
              row={r}
              chosen={chosen.includes(r.rig.id)}
              onChoose={(on) => setChosen(on ? [...chosen, r.rig.id] : chosen.filter((id) => id !== r.rig.id))}
            />
          ))}
        </tbody>
      </table>
      {rows.length > 0 && shown.length === 0 && (
        <Empty>
          <strong>No rig matches.</strong> Take something out of the filter.
        </Empty>
      )}
      <p className="mt-2 max-w-[46rem] text-[12.5px] text-soft">
        Speed, power, heat and noise: the trim in force against the machine as delivered, settled under full load, with
        95 % intervals. ● is shown to be better, ✕ worse; what stands in grey may be chance.
      </p>
      <KinSwarms rigs={rigs.data} known={rows.filter((r) => !r.line.stale).length} />
    </div>
  );
}

function matches({ rig, line }: Row, filter: string): boolean {
  const text = [
    rig.name,
    rig.note,
    ...Object.values(rig.parts ?? {}),
    line.standing,
    line.trimName,
    line.need.words,
    rig.state,
  ]
    .join(' ')
    .toLowerCase();
  return filter
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

function sorted(rows: Row[], { by, down }: { by: Order; down: boolean }): Row[] {
  return rows.toSorted((a, b) => {
    const [x, y] = [place(a, by), place(b, by)];
    const before = typeof x === 'string' ? x.localeCompare(String(y)) : x === y ? 0 : x - Number(y);
    return down ? -before : before;
  });
}

/** The whole fleet in a sentence: the first thing that whoever comes in the morning looks for. */
function Summary({ rows }: { rows: Row[] }) {
  const many = (of: number[]) => rows.filter((r) => of.includes(r.line.need.urgency)).length;
  const now = many([0, 1]);
  const proven = rows.filter((r) => r.line.standing === 'proven').length;
  const parts: [number, string][] = [
    [many([2]), 'lack proof'],
    [many([3]), 'run as delivered, or were never seen'],
    [proven, proven === 1 ? 'is proven' : 'are proven'],
  ];
  return (
    <h1 className="text-[17px]" data-summary={now}>
      <strong className="font-semibold">{count(rows.length, 'rig')}</strong>
      {': '}
      <strong className={now > 0 ? 'font-semibold text-caution' : 'font-semibold'}>
        {now > 0 ? `✕ ${num(now)} ${now === 1 ? 'needs' : 'need'} you now` : 'none needs you now'}
      </strong>
      {parts
        .filter(([n]) => n > 0)
        .map(([n, words]) => (
          <span key={words} className="text-soft">
            , <span className="text-ink">{num(n)}</span> {words}
          </span>
        ))}
    </h1>
  );
}

interface HeadProps {
  by: Order;
  order: { by: Order; down: boolean };
  onOrder: (order: { by: Order; down: boolean }) => void;
  right?: boolean;
  children: React.ReactNode;
}

/** The head of a column, which orders by it. */
function Head({ by, order, onOrder, right, children }: HeadProps) {
  const on = order.by === by;
  return (
    <th className={right ? 'right' : ''} aria-sort={on ? (order.down ? 'descending' : 'ascending') : 'none'}>
      <button
        type="button"
        className={on ? 'font-semibold text-ink' : ''}
        onClick={() => onOrder({ by, down: on && !order.down })}
      >
        {children} {on && <span aria-hidden="true">{order.down ? '▾' : '▴'}</span>}
      </button>
    </th>
  );
}

interface FleetRowProps {
  row: Row;
  chosen: boolean;
  onChoose: (on: boolean) => void;
}

function FleetRow({ row: { rig, line }, chosen, onChoose }: FleetRowProps) {
  const at: SheetWord = line.need.at;
  const to = sheetPath(rig.id, at, at === 'trim' ? (line.trim ?? undefined) : undefined);
  return (
    <tr data-fleet-rig={rig.name}>
      <td>
        <input
          type="checkbox"
          aria-label={`Choose ${rig.name}`}
          checked={chosen}
          onChange={(e) => onChoose(e.target.checked)}
        />
      </td>
      <td className="whitespace-nowrap">
        <Link href={sheetPath(rig.id, 'rig')} className="font-semibold">
          {rig.name}
        </Link>{' '}
        {rig.simulated && <Sim />}
      </td>
      <td className="text-[13px] whitespace-nowrap text-soft">
        {rig.parts ? `${rig.parts.processor} · ${rig.parts.cooler}` : 'parts not known'}
      </td>
      <td className="whitespace-nowrap">
        {line.trim != null && (
          <Link href={sheetPath(rig.id, 'trim', line.trim)}>
            {trimName({ number: line.number, name: line.trimName })}
          </Link>
        )}{' '}
        {line.standing && <Standing standing={line.standing} />}
      </td>
      {won.map(([what, , , places]) => (
        <Won key={what} gain={gainOf(line, what)} places={places} />
      ))}
      <td className="text-[13px]">
        {line.need.urgency === 4 ? (
          <span className="text-soft">{line.need.words}</span>
        ) : (
          <Link href={to} className={`underline ${line.need.urgency < 2 ? 'font-semibold text-caution' : ''}`}>
            {line.need.urgency < 2 && <span aria-hidden="true">✕ </span>}
            {line.need.words}
          </Link>
        )}
      </td>
    </tr>
  );
}

/** What was won in one thing: what may be chance stands back. */
function Won({ gain, places }: { gain?: Gain; places: number }) {
  if (!gain) return <td className="right text-soft">–</td>;
  const look = !gain.shown ? 'text-soft' : gain.good ? 'font-semibold' : 'text-caution';
  return (
    <td className="right whitespace-nowrap" data-won={gain.what}>
      <span className={`num ${look}`}>{signed(gain.value, places)}</span>
      <span className="num text-[11.5px] text-soft">{gain.half > 0 && ` ±${num(gain.half, places)}`}</span>{' '}
      <span className={`inline-block w-3 text-[12px] ${gain.good ? 'text-held' : 'text-caution'}`} aria-hidden="true">
        {gain.shown ? (gain.good ? '●' : '✕') : ''}
      </span>
      {gain.shown && <span className="sr-only">{gain.good ? 'better' : 'worse'}</span>}
    </td>
  );
}
