import { useId, useState } from 'react';
import type { Schemas } from '../../api/client';
import { typed } from './paths';

type Field = Schemas['PartField'];
type Fault = Schemas['Fault'];

const look = 'border border-line bg-sheet px-1.5 py-0.5';

interface FormFieldProps {
  field: Field;
  value: unknown;
  faults: Fault[];
  /** The machine told it. */
  told?: boolean;
  onChange: (value: unknown) => void;
}

/** A figure of a sheet in a line: its words, what was entered, its unit, what it may be, and what is wrong with it. */
export function FormField({ field, value, faults, told, onChange }: FormFieldProps) {
  const id = useId();
  const range = field.type === 'number' || field.type === 'whole' ? `${field.min} to ${field.max}` : '';
  return (
    <div data-field={field.path} className="py-[3px]">
      <div className="grid grid-cols-[minmax(0,1fr)_auto_7.5rem] items-baseline gap-x-2">
        <label htmlFor={id}>
          {field.label}
          {told && (
            <span className="ml-1 text-[12px] text-held" title="told by the machine">
              ● told
            </span>
          )}
        </label>
        <Entry id={id} field={field} value={value} wrong={faults.length > 0} onChange={onChange} />
        <span className="text-[12px] leading-tight text-soft">
          {range && <span className="num text-[11px]">{range}</span>} {field.unit}
        </span>
      </div>
      {field.help && <p className="text-[12px] leading-tight text-soft">{field.help}</p>}
      {faults.map((f) => (
        <p key={f.problem} className="text-[12.5px] leading-tight text-caution">
          ✕ {f.problem}; {f.remedy}
        </p>
      ))}
    </div>
  );
}

interface EntryProps {
  field: Field;
  value: unknown;
  wrong: boolean;
  onChange: (value: unknown) => void;
  id?: string;
  /** In a table, where the column's head says what it is. */
  label?: string;
}

/** What is entered of a figure, by its type. */
export function Entry({ field, value, wrong, onChange, id, label }: EntryProps) {
  const edge = wrong ? 'border-caution' : '';
  const [text, setText] = useState<string>();
  const named = { id, 'aria-label': label };
  if (field.type === 'flag')
    return (
      <input
        {...named}
        type="checkbox"
        checked={value === true}
        onChange={(e) => onChange(e.target.checked || undefined)}
      />
    );
  if (field.type === 'choice')
    return (
      <select
        {...named}
        className={`${look} ${edge} ${label ? 'w-full' : 'w-[9.5rem]'}`}
        value={String(value ?? '')}
        onChange={(e) => onChange(e.target.value === '' && field.optional ? undefined : e.target.value)}
      >
        {field.optional && !field.choices?.includes('') && <option value="" />}
        {field.choices?.map((c) => (
          <option key={c} value={c}>
            {c || 'entered'}
          </option>
        ))}
      </select>
    );
  const number = field.type === 'number' || field.type === 'whole';
  const shown = Array.isArray(value) ? value.join(' › ') : String(value ?? '');
  const change = (now: string) => {
    setText(now);
    if (now === '' && (field.optional || number)) onChange(undefined);
    else if (number) onChange(typed(now));
    else if (field.type === 'words') onChange(now.split('›').map((w) => w.trim()));
    else onChange(now);
  };
  return (
    <input
      {...named}
      className={`${look} ${edge} ${number ? 'num text-right' : ''} ${label ? 'w-full' : number ? 'w-[5.5rem]' : 'w-[16rem]'}`}
      inputMode={number ? 'decimal' : undefined}
      value={text ?? shown}
      onChange={(e) => change(e.target.value)}
      onBlur={() => setText(undefined)}
    />
  );
}
