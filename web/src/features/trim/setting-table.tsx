import { Switch } from 'radix-ui';
import type { Setting, Settings, Value } from '../../api/client';
import { value as show } from '../../ui/format';
import { NumberField } from './number-field';

interface TableProps {
  rows: Setting[];
  values: Settings;
  parent: Settings;
  /** Absent when the trim no longer changes. */
  onChange?: (key: string, value: Value) => void;
  wrong: Set<string>;
  /** By setting, why it counts for nothing. */
  inert: Record<string, string>;
}

/** Settings as rows: trade name, the board's own words, what the maker specifies, as delivered, the parent, and new. */
export function SettingTable({ rows, values, parent, onChange, wrong, inert }: TableProps) {
  return (
    <table className="table-thin w-full">
      <thead>
        <tr>
          <th className="w-[27%]">Setting</th>
          <th>On this board</th>
          <th className="right w-[70px]">Spec</th>
          <th className="right w-[70px]">Stock</th>
          <th className="right w-[70px]">Parent</th>
          <th className="right w-[130px]">{onChange ? 'New' : 'Value'}</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => {
          const v = values[row.key] ?? row.stock;
          const changed = v !== (parent[row.key] ?? row.stock);
          return (
            <tr key={row.key} data-key={row.key}>
              <td title={row.meaning} className={changed ? 'font-semibold' : ''}>
                {changed && <span aria-hidden="true">› </span>}
                {row.name}
                <Remark row={row} inert={changed || row.key in values ? inert[row.key] : undefined} />
              </td>
              <td className="truncate text-[13px] text-soft" title={row.menu.join(' › ')}>
                {row.label}
              </td>
              <td className="right num text-soft">{show(row.spec, false, row.unit)}</td>
              <td className="right num text-soft">{show(row.stock, row.signed, row.unit)}</td>
              <td className="right num">{show(parent[row.key] ?? row.stock, row.signed, row.unit)}</td>
              <td className="right">
                <Editor
                  row={row}
                  value={v}
                  onChange={onChange && ((x) => onChange(row.key, x))}
                  wrong={wrong.has(row.key)}
                />
                <span className="ml-1.5 inline-block w-8 text-left text-soft">{row.unit}</span>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** What to know of a setting: why it does nothing here, or what this board does with it. */
function Remark({ row, inert }: { row: Setting; inert?: string }) {
  const text =
    inert ||
    (row.lost ? 'lost when the supply is switched off' : row.second && `also in “${row.second}”, which is set to auto`);
  return text ? <span className="block text-[12.5px] leading-tight font-normal text-soft">{text}</span> : null;
}

interface EditorProps {
  row: Setting;
  value: Value;
  onChange?: (value: Value) => void;
  wrong: boolean;
}

const switchPositions: Record<string, Value> = { true: true, false: false };

export function Editor({ row, value, onChange, wrong }: EditorProps) {
  if (!onChange) return <span className="num">{show(value, row.signed, row.unit)}</span>;
  if (row.type === 'number') {
    return <NumberField setting={row} value={value} onChange={onChange} wrong={wrong} />;
  }
  if (row.type === 'switch' && row.choices.length === 0) {
    return (
      <Switch.Root
        aria-label={row.name}
        checked={value === true}
        onCheckedChange={onChange}
        className="relative inline-block h-[18px] w-[34px] rounded-full border border-ink align-middle data-[state=checked]:bg-ink"
      >
        <Switch.Thumb className="block h-3 w-3 translate-x-[3px] rounded-full bg-ink data-[state=checked]:translate-x-[18px] data-[state=checked]:bg-paper" />
      </Switch.Root>
    );
  }
  return (
    <select
      aria-label={row.name}
      value={String(value)}
      onChange={(e) => onChange(switchPositions[e.target.value] ?? e.target.value)}
      className="border border-line bg-sheet px-1 py-px"
    >
      {row.type === 'switch' && (
        <>
          <option value="false">off</option>
          <option value="true">on</option>
        </>
      )}
      {row.choices.map((c) => (
        <option key={c}>{c}</option>
      ))}
    </select>
  );
}
