import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { Schemas } from '../../api/client';
import { partCheckQuery, partFormsQuery } from '../../api/queries';
import { Curves } from '../../ui/curves';
import { Section } from '../../ui/elements';
import { FormField } from './form-field';
import { FormTable } from './form-table';
import { at, put, type Sheet } from './paths';

export type Kind = 'processor' | 'board' | 'cooler' | 'memory';

/** How long nothing is typed before what stands there is checked, in ms. */
const rest = 250;

/** Returns something as it was last when it stood still for a moment. */
function useSettled<T>(now: T): T {
  const [settled, setSettled] = useState(now);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(now), rest);
    return () => clearTimeout(timer);
  }, [now]);
  return settled;
}

interface SheetFormProps {
  kind: Kind;
  sheet: Sheet;
  /** Paths that the machine told. */
  told: string[];
  onChange: (sheet: Sheet) => void;
}

/** A part sheet as a form: its figures in groups, what they mean drawn above, and each fault where it is. */
export function SheetForm({ kind, sheet, told, onChange }: SheetFormProps) {
  const form = useQuery(partFormsQuery).data?.[kind];
  const check = useQuery(partCheckQuery(kind, useSettled(sheet))).data;
  if (!form) return <p className="text-soft">Reading what a sheet holds …</p>;
  const faults = check?.faults ?? [];
  const drawings = check?.drawings ?? [];
  const groups = [...new Set([...form.fields, ...form.tables].map((f) => f.group))];
  const style = String(sheet.style ?? '');
  const known = [
    ...form.fields.map((f) => f.path),
    ...form.tables.flatMap((t) => faults.map((f) => f.field).filter((p) => p === t.path || p.startsWith(`${t.path}[`))),
  ];
  const others = faults.filter((f) => !known.includes(f.field));
  const set = (path: string, value: unknown) => onChange(put(sheet, path, value));
  const table = (t: Schemas['PartTable']) => (
    <FormTable
      key={t.path}
      table={t}
      rows={(at(sheet, t.path) as Sheet[] | undefined) ?? []}
      faults={faults}
      told={told.includes(t.path)}
      onChange={(rows) => set(t.path, rows)}
    />
  );
  return (
    <div data-form={kind} data-faults={check ? faults.length : ''}>
      {drawings.length > 1 && (
        <div className="mb-3 grid grid-cols-2 gap-x-6">
          {drawings.map((d) => (
            <Curves key={d.title} drawing={d} />
          ))}
        </div>
      )}
      {others.map((f) => (
        <p key={f.field + f.problem} className="text-caution">
          ✕ <span className="num">{f.field}</span> {f.problem}; {f.remedy}
        </p>
      ))}
      <div className="columns-2 gap-x-8">
        {drawings.length === 1 && drawings[0] && (
          <div className="mb-3 break-inside-avoid">
            <Curves drawing={drawings[0]} />
          </div>
        )}
        {groups.map((group) => {
          const whole = Object.entries(form.whole).find(([, g]) => g === group)?.[0];
          const there = !whole || at(sheet, whole) !== undefined;
          const fields = form.fields.filter((f) => f.group === group && (!f.style || f.style === style));
          const tables = form.tables.filter((t) => t.group === group && !wide(t));
          if (fields.length + tables.length === 0) return null;
          return (
            <div key={group} className="break-inside-avoid">
              <Section title={group}>
                {whole && (
                  <label className="flex items-baseline gap-2">
                    <input
                      type="checkbox"
                      checked={there}
                      onChange={(e) => set(whole, e.target.checked ? least(fields, whole) : undefined)}
                    />
                    it has one
                  </label>
                )}
                {there &&
                  fields.map((f) => (
                    <FormField
                      key={f.path}
                      field={f}
                      value={at(sheet, f.path)}
                      faults={faults.filter((x) => x.field === f.path)}
                      told={told.includes(f.path)}
                      onChange={(v) => set(f.path, v)}
                    />
                  ))}
                {tables.map(table)}
              </Section>
            </div>
          );
        })}
      </div>
      {form.tables.filter(wide).map(table)}
    </div>
  );
}

/** A table with many columns has the whole width. */
const wide = (t: Schemas['PartTable']) => t.columns.length > 4;

/** What may be left out as a whole, as it begins: each figure at its least. */
function least(fields: Schemas['PartField'][], whole: string): Sheet {
  return fields.reduce<Sheet>((out, f) => put(out, f.path.slice(whole.length + 1), f.min), {});
}
