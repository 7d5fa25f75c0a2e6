import type { Schemas } from '../../api/client';
import { Entry } from './form-field';
import { put, type Sheet } from './paths';

type Table = Schemas['PartTable'];
type Fault = Schemas['Fault'];

interface FormTableProps {
  table: Table;
  rows: Sheet[];
  faults: Fault[];
  told?: boolean;
  onChange: (rows: Sheet[]) => void;
}

const isNumber = (c: Table['columns'][number]) => c.type === 'number' || c.type === 'whole';

/** A list of a sheet: a line a row, with the faults of a row below it. */
export function FormTable({ table, rows, faults, told, onChange }: FormTableProps) {
  const of = (i: number) => faults.filter((f) => f.field.startsWith(`${table.path}[${i}]`));
  const whole = faults.filter((f) => f.field === table.path);
  // A row has no key of its own: its place is what it is known by.
  const change = (i: number, path: string, value: unknown) =>
    onChange(rows.map((r, j) => (j === i ? put(r, path, value) : r)));
  return (
    <div data-table={table.path} className="mt-1 mb-2">
      <p>
        {table.label}
        {told && <span className="ml-1 text-[12px] text-held">● told</span>}
        {table.help && <span className="ml-2 text-[12px] text-soft">{table.help}</span>}
      </p>
      {rows.length > 0 && (
        <table className="table-thin w-full">
          <thead>
            <tr>
              {table.columns.map((c) => (
                <th key={c.path} title={c.help} className={isNumber(c) ? 'right w-[5.5rem]' : ''}>
                  {c.label}
                  {c.unit && <span className="text-soft"> {c.unit}</span>}
                </th>
              ))}
              {!table.fixed && <th />}
            </tr>
          </thead>
          <tbody>
            {rows.map((row, i) => {
              const wrong = of(i);
              return [
                // biome-ignore lint/suspicious/noArrayIndexKey: see above
                <tr key={i}>
                  {table.columns.map((c) => (
                    <td key={c.path} className="px-0.5">
                      {table.fixed && c.path === 'setting' ? (
                        <span className="num text-[12.5px]">{String(row.setting)}</span>
                      ) : (
                        <Entry
                          field={c}
                          label={`${c.label}, row ${i + 1}`}
                          value={row[c.path]}
                          wrong={wrong.some((f) => f.field.endsWith(`.${c.path}`))}
                          onChange={(v) => change(i, c.path, v)}
                        />
                      )}
                    </td>
                  ))}
                  {!table.fixed && (
                    <td className="w-6 text-right">
                      <button
                        type="button"
                        aria-label={`Take row ${i + 1} away`}
                        className="text-soft"
                        onClick={() => onChange(rows.filter((_, j) => j !== i))}
                      >
                        ✕
                      </button>
                    </td>
                  )}
                </tr>,
                ...wrong.map((f) => (
                  <tr key={f.field + f.problem}>
                    <td colSpan={table.columns.length + 1} className="text-[12.5px] text-caution">
                      ✕ {f.field.slice(f.field.lastIndexOf('.') + 1)}: {f.problem}; {f.remedy}
                    </td>
                  </tr>
                )),
              ];
            })}
          </tbody>
        </table>
      )}
      {!table.fixed && rows.length < table.most && (
        <button
          type="button"
          className="text-[13px] text-soft underline"
          onClick={() => onChange([...rows, { ...(rows.at(-1) ?? {}) }])}
        >
          Add a row
        </button>
      )}
      {whole.map((f) => (
        <p key={f.problem} className="text-[12.5px] text-caution">
          ✕ {f.problem}; {f.remedy}
        </p>
      ))}
    </div>
  );
}
