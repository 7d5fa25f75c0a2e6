import type { Schemas } from '../../api/client';
import { Section } from '../../ui/elements';
import { decimalsOf, loadNames, num, signed } from '../../ui/format';
import { Meaning } from './meaning';

type Row = Schemas['SettledRow'];
type Level = Schemas['SettledLevel'];

/** Where two trims settle under a load that they were proven with: a run of seconds says how far a machine had warmed, and not
 * how warm it gets. */
export function Settled({ load, rows, base, trim }: { load: string; rows: Row[]; base: string; trim: string }) {
  return (
    <Section
      title={`Settled: ${(loadNames[load] ?? load).toLowerCase()}`}
      note="from the legs of trials, with 95 % intervals; indented figures explain, and are not judged"
    >
      <table className="table-thin w-full" data-settled={load}>
        <thead>
          <tr>
            <th>Figure</th>
            <th className="right w-[110px]">{base}</th>
            <th className="right w-[110px]">{trim}</th>
            <th className="right w-[120px]">Change</th>
            <th className="right w-[64px]">%</th>
            <th className="w-[130px]" />
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <SettledLine key={r.key} row={r} />
          ))}
        </tbody>
      </table>
    </Section>
  );
}

function SettledLine({ row }: { row: Row }) {
  const main = row.key === 'temperature.above';
  const [scale, places] = row.unit === 'V' ? [1000, 0] : [1, decimalsOf(row.unit)];
  return (
    <tr data-row={`${row.load} ${row.key}`} className={main ? 'font-semibold' : row.judged ? '' : 'text-soft'}>
      <td className={row.judged ? '' : 'pl-3'}>{row.label}</td>
      <Figure level={row.base} unit={row.unit} />
      <Figure level={row.trim} unit={row.unit} />
      <td className="right num whitespace-nowrap">
        {row.absolute != null && (
          <>
            {signed(row.absolute * scale, places)}
            {row.half != null && <span className="font-normal text-soft"> ±{num(row.half * scale, places)}</span>}
            {row.unit === 'V' && ' mV'}
          </>
        )}
      </td>
      <td className="right num">{row.percent == null ? '' : signed(row.percent, 1)}</td>
      <td className="pl-3 text-[13px] whitespace-nowrap">
        {row.judged && <Meaning missing={row.base && row.trim ? '' : 'no leg of one'} doubtful="" row={row} />}
      </td>
    </tr>
  );
}

function Figure({ level, unit }: { level?: Level | null; unit: string }) {
  return (
    <td
      className="right num whitespace-nowrap"
      title={level ? `of ${level.legs} ${level.legs === 1 ? 'leg' : 'legs'}` : undefined}
    >
      {level ? `${num(level.value, decimalsOf(unit))} ${unit}` : '–'}
    </td>
  );
}
