import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Setting, type Settings, take, type Value } from '../../api/client';
import { Button, Problem } from '../../ui/elements';
import { num, value } from '../../ui/format';
import { parseNumber } from './number-field';

interface EntryProps {
  rig: number;
  values: Settings;
  rows: Setting[];
  onChange: (key: string, value: Value) => void;
}

/** What is typed is not what one gets: asks for the entry that gives a wanted voltage at the die, and enters it. */
export function EntryFor({ rig, values, rows, onChange }: EntryProps) {
  const [text, setText] = useState('');
  const volts = parseNumber(text, 'V');
  const ask = useMutation({
    meta: { touches: [] },
    mutationFn: (wanted: number) =>
      take(
        api.POST('/api/rigs/{rig}/entry', {
          params: { path: { rig } },
          body: { parent: null, settings: values, volts: wanted },
        }),
      ),
  });
  const row = rows.find((r) => r.key === ask.data?.key);
  return (
    <div className="mt-2" data-entry-for="">
      <p className="flex flex-wrap items-center gap-2">
        <label htmlFor="entry-for">Wanted at the die under heavy load</label>
        <input
          id="entry-for"
          inputMode="decimal"
          value={text}
          placeholder="1.100"
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => e.key === 'Enter' && volts !== undefined && ask.mutate(volts)}
          className="num w-[74px] border border-line bg-sheet px-1.5 text-right"
        />
        V
        <Button
          reads
          disabled={volts === undefined || ask.isPending}
          onClick={() => volts !== undefined && ask.mutate(volts)}
        >
          What to enter?
        </Button>
        {ask.data && (
          <>
            <span>
              {row?.name ?? ask.data.key}{' '}
              <span className="num">
                {value(ask.data.value, row?.signed, row?.unit)} {row?.unit}
              </span>{' '}
              <span className="text-soft">gives {num(ask.data.volts, 3)} V</span>
            </span>
            <Button reads onClick={() => ask.data && onChange(ask.data.key, ask.data.value)}>
              Enter it
            </Button>
          </>
        )}
      </p>
      <Problem error={ask.error} />
    </div>
  );
}
