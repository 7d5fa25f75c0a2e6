import { useQuery } from '@tanstack/react-query';
import { useLocation } from 'wouter';
import type { Schemas, Trim } from '../../api/client';
import { comparisonQuery, scoresQuery, trimsQuery, useRig, yardsticksQuery } from '../../api/queries';
import { Button, Empty, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { decimalsOf, num, signed, trimName } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { Meaning } from './meaning';
import { OtherScores } from './other-scores';
import { SessionDock } from './session-dock';

type Row = Schemas['ComparisonRow'];
type Table = Schemas['ComparisonTable'];
type Spread = Schemas['Spread'];

/** Is it faster, cooler, cheaper? Two trims side by side, every run a dot. */
export function ScoresSheet({ rig, id, mode }: SheetProps) {
  const [, go] = useLocation();
  const owner = useRig(rig);
  const trims = useQuery(trimsQuery(rig));
  const scores = useQuery(scoresQuery(rig));
  if (!owner || !trims.data) return <p className="p-4 text-soft">Reading the scores …</p>;
  const scored = trims.data.filter((t) => t.points != null);
  const base = trims.data.find((t) => t.id === id) ?? scored[0] ?? trims.data[0];
  const trim =
    trims.data.find((t) => t.id === Number(mode)) ??
    scored.findLast((t) => t.inForce && t.id !== base?.id) ??
    scored.findLast((t) => t.id !== base?.id) ??
    base;
  if (!base || !trim || (scored.length === 0 && scores.data?.length === 0)) {
    return (
      <SheetWithDock dock={base && trim && <OtherScores rig={rig} trims={trims.data} trim={trim} />}>
        <Empty>
          <strong>No score was taken yet.</strong> Run the yardsticks under stock first, three runs each, on the Trial
          sheet: everything later is compared with that.
        </Empty>
      </SheetWithDock>
    );
  }
  const choose = (b: number, t: number) => go(sheetPath(rig, 'scores', b, t));
  return <Comparison rig={rig} trims={trims.data} base={base} trim={trim} choose={choose} />;
}

interface ComparisonProps {
  rig: number;
  trims: Trim[];
  base: Trim;
  trim: Trim;
  choose: (base: number, trim: number) => void;
}

function Comparison({ rig, trims, base, trim, choose }: ComparisonProps) {
  const [, go] = useLocation();
  const comparison = useQuery(comparisonQuery([base.id, trim.id]));
  const yardsticks = useQuery(yardsticksQuery);
  return (
    <SheetWithDock
      dock={
        <>
          <Section title="Against">
            <Picker label="Base" trims={trims} value={base.id} onChange={(b) => choose(b, trim.id)} />
            <Picker label="Trim" trims={trims} value={trim.id} onChange={(t) => choose(base.id, t)} />
          </Section>
          <Button reads className="mb-4" onClick={() => go(sheetPath(rig, 'compare', base.id, trim.id))}>
            Compare all that differs
          </Button>
          <LeftOut rig={rig} trims={[base, trim]} tables={comparison.data?.tables ?? []} />
          <SessionDock rig={rig} trims={trims} base={base} trim={trim} />
          <Button reads className="mb-4" onClick={() => go(sheetPath(rig, 'trial'))}>
            Take more runs
          </Button>
          <OtherScores rig={rig} trims={trims} trim={trim} />
        </>
      }
    >
      <Heading note="of scores each run is a dot, the mean a bar with its 95 % interval">
        {trimName(trim)} {trim.number > 0 && trim.name} against {trimName(base)}
      </Heading>
      <Problem error={comparison.error} />
      {yardsticks.data?.map((y) => {
        const table = comparison.data?.tables.find((t) => t.yardstick === y.id);
        return (
          table &&
          table.rows.length > 0 && (
            <Yardstick
              key={y.id}
              name={y.name}
              better={y.better}
              table={table}
              base={trimName(base)}
              trim={trimName(trim)}
            />
          )
        );
      })}
    </SheetWithDock>
  );
}

/** Runs that do not count, and why. */
function LeftOut({ rig, trims, tables }: { rig: number; trims: Trim[]; tables: Table[] }) {
  const scores = useQuery(scoresQuery(rig));
  const yardsticks = useQuery(yardsticksQuery);
  const left = tables.flatMap((t) => t.left);
  if (left.length === 0) return null;
  return (
    <Section title="Runs left out" note="not alike">
      <ul className="row-rule text-[13px]" data-left-out="">
        {left.map((one) => {
          const s = scores.data?.find((score) => score.id === one.score);
          const y = yardsticks.data?.find((x) => x.id === s?.yardstick);
          return (
            s && (
              <li key={s.id} className="py-0.5">
                <span className="num">
                  {trimName(trims.find((t) => t.id === s.trim) ?? { number: 0, name: '' })} {num(s.value)} {y?.unit}
                </span>{' '}
                {y?.name.toLowerCase()}: <span className="text-caution">{one.why}</span>
              </li>
            )
          );
        })}
      </ul>
    </Section>
  );
}

function Picker({
  label,
  trims,
  value: chosen,
  onChange,
}: {
  label: string;
  trims: Trim[];
  value: number;
  onChange: (id: number) => void;
}) {
  return (
    <label className="mb-1 flex items-center gap-2">
      <span className="w-10 text-soft">{label}</span>
      <select
        value={chosen}
        onChange={(e) => onChange(Number(e.target.value))}
        className="min-w-0 flex-1 border border-line bg-sheet px-1 py-0.5"
      >
        {trims.map((t) => (
          <option key={t.id} value={t.id}>
            {trimName(t)} {t.number > 0 && t.name}
            {t.points == null ? ' (no score)' : ''}
          </option>
        ))}
      </select>
    </label>
  );
}

function Yardstick({
  name,
  better,
  table,
  base,
  trim,
}: {
  name: string;
  better: string;
  table: Table;
  base: string;
  trim: string;
}) {
  return (
    <Section title={name} note={`${better} is better · ${taken(table)}`}>
      <table className="table-thin w-full" data-comparison="">
        <thead>
          <tr>
            <th className="w-[150px]">Figure</th>
            <th>Runs</th>
            <th className="right w-[100px]">{base}</th>
            <th className="right w-[100px]">{trim}</th>
            <th className="right w-[86px]">Change</th>
            <th className="right w-[64px]">%</th>
            <th className="w-[150px]" />
          </tr>
        </thead>
        <tbody>
          {table.rows.map((r) => (
            <ComparisonLine key={r.key} row={r} />
          ))}
        </tbody>
      </table>
    </Section>
  );
}

/** How the runs were taken: what a day differs from another stands between two trims that shared none. */
function taken(t: Table) {
  const days = t.sessions === 1 ? 'one session' : `${t.sessions} sessions`;
  return t.interleaved ? `interleaved, ${days}` : `${days}, not interleaved`;
}

function ComparisonLine({ row }: { row: Row }) {
  const decimals = decimalsOf(row.unit);
  const figure = (s?: Spread) => (s?.mean != null ? `${num(s.mean, decimals)} ${row.unit}` : '–');
  const main = row.key === 'score';
  const [base, trim] = row.sides;
  const pair = row.pairs[0];
  if (!pair) return null;
  const millivolts = row.unit === 'V' && pair.absolute != null;
  return (
    <tr data-row={row.key} className={main ? 'font-semibold' : ''}>
      <td>{main ? 'Score' : row.label}</td>
      <td>
        <Dots row={row} />
      </td>
      <td className="right num whitespace-nowrap">{figure(base)}</td>
      <td className="right num whitespace-nowrap">{figure(trim)}</td>
      <td className="right num whitespace-nowrap">
        {pair.absolute == null
          ? ''
          : millivolts
            ? `${signed(pair.absolute * 1000)} mV`
            : signed(pair.absolute, decimals)}
      </td>
      <td className="right num">{pair.percent == null ? '' : signed(pair.percent, 1)}</td>
      <td className="pl-3 text-[13px] whitespace-nowrap">
        <Meaning
          missing={!base?.n || !trim?.n ? 'no runs of one' : pair.half == null ? 'one run proves little' : ''}
          doubtful={pair.judged ? '' : row.unit === 'K' || row.unit === '°C' ? 'not settled in a run' : 'not judged'}
          above={pair.visiblePercent == null ? '' : `${num(pair.visiblePercent, 1)} %`}
          row={{ better: row.better, shown: pair.shown, gain: pair.gain }}
        />
      </td>
    </tr>
  );
}

const width = 200;

/** Runs of both trims on one scale: the base above, the trim below, each with mean and interval. */
function Dots({ row }: { row: Row }) {
  const reach = row.sides.flatMap((s) => {
    const mean = s.mean;
    return mean == null ? [] : [...s.runs, mean - (s.half ?? 0), mean + (s.half ?? 0)];
  });
  const low = Math.min(...reach);
  const high = Math.max(...reach, low + 1e-9);
  const x = (v: number) => 6 + ((v - low) / (high - low)) * (width - 12);
  const line = (s: Spread | undefined, y: number, stroke: string, filled: boolean) =>
    s?.mean != null && (
      <g stroke={stroke} fill={filled ? stroke : 'var(--paper)'}>
        {s.half != null && <line x1={x(s.mean - s.half)} x2={x(s.mean + s.half)} y1={y} y2={y} strokeWidth={1} />}
        <line x1={x(s.mean)} x2={x(s.mean)} y1={y - 5} y2={y + 5} strokeWidth={2} />
        {s.runs.map((v, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: runs have no other name than their place
          <circle key={i} cx={x(v)} cy={y} r={2.6} strokeWidth={1.1} />
        ))}
      </g>
    );
  return (
    <svg viewBox={`0 0 ${width} 26`} className="block w-full max-w-[200px]" aria-hidden="true">
      {line(row.sides[0], 7, 'var(--soft)', false)}
      {line(row.sides[1], 19, 'var(--ink)', true)}
    </svg>
  );
}
