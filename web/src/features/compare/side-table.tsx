import { useQueries } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import type { Schemas } from '../../api/client';
import { type EnergyAsk, soundingsQuery } from '../../api/queries';
import { Sim } from '../../ui/elements';
import { decimalsOf, loadNames, num, roughly, signed } from '../../ui/format';
import { Standing } from '../../ui/standing';
import { EnergyYears } from './energy';

type Comparison = Schemas['Comparison'];
type Compared = Schemas['Compared'];
type Pair = Schemas['ComparedPair'];
type Place = Schemas['Place'];

/** Everything that tells configurations apart, a column each. */
export function SideTable({ c, ask }: { c: Comparison; ask: EnergyAsk }) {
  const loads = [...new Set(c.settled.map((r) => r.load))];
  const several = c.of.some((one) => one.rig !== c.of[0]?.rig);
  const settled = (load: string) => <Settled key={load} c={c} load={load} />;
  return (
    <table className="table-thin w-full table-fixed" data-side-by-side={c.of.length}>
      <colgroup>
        <col style={{ width: 178 }} />
        {c.of.map((one) => (
          <col key={one.trim} />
        ))}
      </colgroup>
      <thead className="sticky -top-3 bg-paper">
        <tr>
          <th />
          {c.of.map((one, i) => (
            <th key={one.trim} className="right">
              <span className="text-[14px] font-semibold text-ink">{one.name}</span>{' '}
              {several && one.simulated && <Sim />}
              {i === 0 && <span className="ml-1">base</span>}
            </th>
          ))}
        </tr>
      </thead>
      <Settings c={c} />
      {settled(loads[0] ?? '')}
      <Scores c={c} />
      <EnergyYears of={c.of} ask={ask} />
      <Proof of={c.of} />
      {loads.slice(1).map(settled)}
    </table>
  );
}

export function Group({
  title,
  note,
  columns,
  children,
}: {
  title: string;
  note?: string;
  columns: number;
  children: ReactNode;
}) {
  return (
    <tbody>
      <tr className="!border-t-0">
        <th colSpan={columns + 1} className="!pt-3 text-[14px] !font-semibold !text-ink">
          {title} {note && <span className="font-normal text-soft">{note}</span>}
        </th>
      </tr>
      {children}
    </tbody>
  );
}

/** The settings that differ; those that count for nothing only when asked for. */
function Settings({ c }: { c: Comparison }) {
  const [all, setAll] = useState(false);
  const inert = c.changes.filter((x) => !x.counts).length;
  const shown = c.changes.filter((x) => x.counts || all);
  const title = c.changes.length > 0 ? 'Settings that differ' : 'The settings are the same';
  return (
    <Group title={title} columns={c.of.length}>
      {shown.map((x) => (
        <tr key={x.key} data-contrast={x.key} className={x.counts ? '' : 'text-soft'}>
          <td>{x.name}</td>
          {x.values.map((v, i) => (
            <td key={c.of[i]?.trim} className="right num">
              {v}
            </td>
          ))}
        </tr>
      ))}
      {inert > 0 && (
        <tr>
          <td colSpan={c.of.length + 1}>
            <button type="button" className="text-[13px] text-soft underline" onClick={() => setAll(!all)}>
              {all
                ? 'Without those that count for nothing'
                : `${inert} more, which ${inert === 1 ? 'counts' : 'count'} for nothing`}
            </button>
          </td>
        </tr>
      )}
    </Group>
  );
}

/** What was stood, and how likely a fault is by the soundings. */
function Proof({ of }: { of: Compared[] }) {
  const soundings = useQueries({ queries: of.map((one) => soundingsQuery(one.rig, one.trim)) });
  const regimes = of.find((one) => one.stood.length > 0)?.stood ?? [];
  const line = (name: string, cell: (one: Compared, i: number) => ReactNode) => (
    <tr key={name} data-proof-row={name}>
      <td>{name}</td>
      {of.map((one, i) => (
        <td key={one.trim} className="right">
          {cell(one, i)}
        </td>
      ))}
    </tr>
  );
  const at = (i: number) => {
    const s = soundings[i]?.data;
    return s?.at && s.trim === of[i]?.trim ? s : undefined;
  };
  return (
    <Group title="Proof" note="stood without a fault" columns={of.length}>
      {line('Standing', (one) => (
        <Standing standing={one.standing} />
      ))}
      {regimes.map((r, k) =>
        line(r.words, (one) => {
          const s = one.stood[k]?.stoodS ?? 0;
          return <span className={s > 0 ? 'num' : 'text-soft'}>{s > 0 ? roughly(s) : '–'}</span>;
        }),
      )}
      {line('Daily use', (one) => (
        <span className="num">{one.usedS > 0 ? roughly(one.usedS) : '–'}</span>
      ))}
      {line('Faults by the soundings', (_, i) => at(i)?.at?.words ?? <span className="text-soft">–</span>)}
      {line('Least clearance', (_, i) => {
        const s = at(i);
        if (!s || s.cores.length === 0) return <span className="text-soft">–</span>;
        const least = s.cores.reduce((a, b) => (b.clearance < a.clearance ? b : a));
        return (
          <>
            <span className="num">{num(least.clearance)}</span> steps, core {least.core}
          </>
        );
      })}
    </Group>
  );
}

/** The scores, and what each took. */
function Scores({ c }: { c: Comparison }) {
  const rows = c.tables.flatMap((t) =>
    t.rows.filter((r) => r.key === 'score' || r.key === 'perWatt').map((r) => ({ t, r })),
  );
  if (rows.length === 0) return null;
  const byTurns = c.tables.some((t) => t.interleaved);
  const note = byTurns ? 'means of runs' : 'means of runs, which were not taken by turns';
  return (
    <Group title="Scores" note={note} columns={c.of.length}>
      {rows.map(({ t, r }) => (
        <tr key={t.yardstick + r.key} data-row={`${t.yardstick} ${r.key}`}>
          <td className={r.key === 'score' ? '' : 'pl-3 text-soft'}>
            {r.key === 'score' ? r.label : 'points per watt'}{' '}
            {byTurns && !t.interleaved && r.key === 'score' && <NotByTurns />}
          </td>
          {r.sides.map((s, i) => (
            <Cell
              key={c.of[i]?.trim}
              value={s.mean}
              unit={r.unit}
              place={r.places[i]}
              pair={i > 0 ? r.pairs[i - 1] : undefined}
              better={r.better}
              percent
            />
          ))}
        </tr>
      ))}
    </Group>
  );
}

const NotByTurns = () => (
  <span
    className="text-[11.5px] text-soft"
    title="The runs were not taken by turns: what one day differs from another stands between them."
  >
    not by turns
  </span>
);

/** Where they settle under a load, and what held the clock meanwhile. */
function Settled({ c, load }: { c: Comparison; load: string }) {
  const rows = c.settled.filter((r) => r.load === load);
  const held = c.held.filter((r) => r.load === load);
  if (rows.length === 0) return null;
  return (
    <Group title={`Settled: ${(loadNames[load] ?? load).toLowerCase()}`} note="in trials" columns={c.of.length}>
      {rows.map((r) => (
        <tr key={r.key + r.label} data-row={`${load} ${r.key}`}>
          <td className={r.explains ? 'pl-3 text-soft' : ''}>{r.label}</td>
          {r.sides.map((s, i) => (
            <Cell
              key={c.of[i]?.trim}
              value={s.value}
              unit={r.unit}
              place={r.places[i]}
              pair={i > 0 ? r.pairs[i - 1] : undefined}
              better={r.better}
              quiet={r.explains}
            />
          ))}
        </tr>
      ))}
      {held.map((r) => (
        <tr key={`held ${r.by}`} data-row={`${load} held ${r.by}`}>
          <td className="pl-3 text-soft">held by {r.by}</td>
          {r.shares.map((share, i) => (
            <td key={c.of[i]?.trim} className="right num text-soft">
              {share == null ? '–' : `${num(100 * share)} %`}
            </td>
          ))}
        </tr>
      ))}
    </Group>
  );
}

interface CellProps {
  value?: number | null;
  unit: string;
  place?: Place;
  /** Against the base. */
  pair?: Pair;
  better: string;
  /** Differences are told as a share. */
  percent?: boolean;
  quiet?: boolean;
}

/** A figure, whether it is the best of its row, and what it differs from the base's by. */
function Cell({ value, unit, place, pair, better, percent, quiet }: CellProps) {
  if (value == null) return <td className="right text-soft">–</td>;
  return (
    <td className={`right whitespace-nowrap ${quiet ? 'text-soft' : ''}`}>
      {place && (
        <span className="mr-1.5 text-[12px] text-held" data-place={place}>
          {place === 'best' ? '◆ best' : '◇ leads'}
        </span>
      )}
      <span className={`num ${quiet ? '' : 'font-semibold'}`}>{num(value, decimalsOf(unit))}</span>{' '}
      <span className="num text-[12px] text-soft">{unit}</span>
      {pair && <Against pair={pair} unit={unit} better={better} percent={percent} />}
    </td>
  );
}

function Against({ pair, unit, better, percent }: { pair: Pair; unit: string; better: string; percent?: boolean }) {
  if (pair.absolute == null) return <span className="block text-[12px] text-soft">nothing to hold it against</span>;
  const share = percent && pair.percent != null && pair.absolute !== 0 ? pair.percent / pair.absolute : undefined;
  const [scale, places, of] =
    share !== undefined ? [share, 1, '%'] : unit === 'V' ? [1000, 0, 'mV'] : [1, decimalsOf(unit), unit];
  const half = pair.half == null ? '' : ` ±${num(pair.half * Math.abs(scale), places)}`;
  const figure = `${signed(pair.absolute * scale, places)}${half} ${of}`;
  return (
    <span className="block text-[12px]">
      <span className="num text-soft">{figure}</span>{' '}
      <Means pair={pair} better={better} unit={unit} percent={percent} />
    </span>
  );
}

function Means({ pair, better, unit, percent }: { pair: Pair; better: string; unit: string; percent?: boolean }) {
  if (!pair.judged) return null;
  if (pair.shown && better === 'neither') return <span>differs</span>;
  if (pair.shown)
    return pair.gain ? <span className="text-held">● better</span> : <span className="text-caution">✕ worse</span>;
  const above =
    percent && pair.visiblePercent != null
      ? `${num(pair.visiblePercent, 1)} %`
      : pair.visible != null &&
        `${num(pair.visible * (unit === 'V' ? 1000 : 1), unit === 'V' ? 0 : decimalsOf(unit))} ${unit === 'V' ? 'mV' : unit}`;
  return (
    <span
      className="text-soft"
      title={above ? `A difference of ${above} would be shown four times of five.` : undefined}
    >
      {pair.half == null ? 'one run proves little' : 'no difference shown'}
    </span>
  );
}
