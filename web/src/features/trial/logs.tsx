import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, sendTable, type Trial, take } from '../../api/client';
import { channelsQuery, logsQuery } from '../../api/queries';
import { Confirm } from '../../ui/confirm';
import { Dialog } from '../../ui/dialog';
import { Button, Problem, Section } from '../../ui/elements';
import { num, signed, span } from '../../ui/format';

type Layout = Schemas['LogLayout'];
type Column = Schemas['LogColumn'];
type Log = Schemas['SensorLog'];

/** How much of a log tells how it is written. */
const head = 200_000;

/** Other recorders' logs, joined to the trial by time. */
export function Logs({ trial }: { trial: Trial }) {
  const logs = useQuery(logsQuery(trial.id));
  const [file, setFile] = useState<File>();
  const [going, setGoing] = useState<Log>();
  const drop = useMutation({
    meta: { touches: ['trial'] },
    mutationFn: (log: number) =>
      take(api.DELETE('/api/trials/{trial}/logs/{log}', { params: { path: { trial: trial.id, log } } })),
  });
  return (
    <Section title="Other readings" note="by hand, or from a recorder">
      <Confirm
        open={going !== undefined}
        onOpenChange={() => setGoing(undefined)}
        title={`Take ${going?.name || 'the log'} off?`}
        action="Take it off"
        back="Keep it"
        onConfirm={() => going && drop.mutate(going.id)}
      >
        {`Gone with it: ${num(going?.used ?? 0)} readings of ${going?.channels.join(', ')}, and their figures. It can be joined again from its file.`}
      </Confirm>
      <ul className="row-rule text-[13px]" data-logs="">
        {logs.data?.map((l) => (
          <li key={l.id} className="py-0.5" title={l.channels.join(', ')}>
            <p className="flex items-baseline justify-between gap-2">
              <span className="min-w-0 truncate">{l.name || 'a log'}</span>
              <button type="button" className="text-soft" title={`Take ${l.name} off`} onClick={() => setGoing(l)}>
                ✕
              </button>
            </p>
            <p className="text-soft">
              <span className="num">{num(l.used)}</span> of <span className="num">{num(l.lines)}</span> lines
              {l.broken > 0 && <span className="text-caution">, {num(l.broken)} broken</span>}
            </p>
          </li>
        ))}
      </ul>
      {trial.ended && (
        <label className="mt-1 inline-flex cursor-pointer items-center rounded-[3px] border border-ink bg-sheet px-3 py-1 leading-snug focus-within:outline-2 hover:bg-tint-1">
          Join a log
          <input
            type="file"
            accept=".csv,.txt,.log,text/csv"
            aria-label="Log to join"
            className="sr-only"
            onChange={(e) => {
              setFile(e.target.files?.[0]);
              e.target.value = '';
            }}
          />
        </label>
      )}
      <Reading trial={trial} />
      <Problem error={drop.error} />
      {file && <JoinLog trial={trial} file={file} onDone={() => setFile(undefined)} />}
    </Section>
  );
}

const meters = [
  { channel: 'power.wall', label: 'Wall power', unit: 'W' },
  { channel: 'temperature.ambient', label: 'Ambient', unit: '°C' },
  { channel: 'temperature.coolant', label: 'Coolant', unit: '°C' },
] as const;

/** Notes what a meter shows that the rig cannot read. */
function Reading({ trial }: { trial: Trial }) {
  const channels = useQuery(channelsQuery(trial.rig));
  const open = meters.filter((m) => !channels.data?.some((c) => c.key === m.channel));
  const [picked, setPicked] = useState<string>();
  const [value, setValue] = useState('');
  const meter = open.find((m) => m.channel === picked) ?? open[0];
  const note = useMutation({
    meta: { touches: ['trial'] },
    mutationFn: (body: Schemas['Reading']) =>
      take(api.POST('/api/trials/{trial}/readings', { params: { path: { trial: trial.id } }, body })),
    onSuccess: () => {
      setValue('');
    },
  });
  if (!channels.data || !meter || !trial.startedAt) return null;
  const figure = Number(value.replace(',', '.'));
  return (
    <form
      className="mt-2 flex items-center gap-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        note.mutate({ channel: meter.channel, value: figure });
      }}
    >
      <select
        aria-label="Meter"
        className="min-w-0 flex-1 border border-line bg-sheet px-1 py-0.5"
        value={meter.channel}
        onChange={(e) => setPicked(e.target.value)}
      >
        {open.map((m) => (
          <option key={m.channel} value={m.channel}>
            {m.label}
          </option>
        ))}
      </select>
      <input
        aria-label={`${meter.label} in ${meter.unit}`}
        className="num w-14 border border-line bg-sheet px-1 py-0.5"
        value={value}
        onChange={(e) => setValue(e.target.value)}
      />
      {meter.unit}
      <Button type="submit" disabled={value.trim() === '' || !Number.isFinite(figure) || note.isPending}>
        Note
      </Button>
      <Problem error={note.error} />
    </form>
  );
}

/** Shows how a log was understood, and what becomes of its columns, before it is joined. */
function JoinLog({ trial, file, onDone }: { trial: Trial; file: File; onDone: () => void }) {
  const [swap, setSwap] = useState(false);
  const layout = useQuery({
    queryKey: ['log-layout', trial.id, file.name, file.size, file.lastModified, swap],
    retry: false,
    queryFn: () => sendTable<Layout>(`/api/trials/${trial.id}/logs/layout?swap=${swap}`, file.slice(0, head)),
  });
  return (
    <Dialog title={`Join ${file.name}`} onClose={onDone}>
      <Problem error={layout.error} />
      {layout.data && (
        <Mapping
          key={`${layout.data.source} ${swap}`}
          trial={trial}
          file={file}
          layout={layout.data}
          swap={swap}
          onSwap={() => setSwap(!swap)}
          onDone={onDone}
        />
      )}
    </Dialog>
  );
}

interface MappingProps {
  trial: Trial;
  file: File;
  layout: Layout;
  swap: boolean;
  onSwap: () => void;
  onDone: () => void;
}

const clocks: Record<Layout['clock'], string> = {
  none: 'nothing: no column with a time was found',
  stamp: 'date and time',
  unix: 'seconds since 1970',
  'unix-ms': 'milliseconds since 1970',
  elapsed: 'seconds since its start',
  'elapsed-ms': 'milliseconds since its start',
};

const delimiters: Record<string, string> = { ';': 'semicolons', ',': 'commas', '\t': 'tabs', '|': 'bars' };

function Mapping({ trial, file, layout, swap, onSwap, onDone }: MappingProps) {
  const [columns, setColumns] = useState(layout.columns);
  const [shift, setShift] = useState(String(layout.shiftS));
  const change = (i: number, c: Partial<Column>) =>
    setColumns(columns.map((old, k) => (k === i ? { ...old, ...c } : old)));
  const join = useMutation({
    meta: { touches: ['trial'] },
    mutationFn: async () => {
      await take(
        api.PUT('/api/log-sources/{source}', {
          params: { path: { source: layout.source } },
          body: { columns: columns.map((c) => ({ column: c.name, channel: c.channel, label: c.label })) },
        }),
      );
      const query = new URLSearchParams({ name: file.name, shiftS: shift, swap: String(swap) });
      return sendTable<Schemas['JoinedLog']>(`/api/trials/${trial.id}/logs?${query}`, file);
    },
    onSuccess: async (joined) => {
      if (joined.faults.length === 0) onDone();
    },
  });
  const joined = join.data;
  const seconds = Number(shift);
  if (joined) {
    return (
      <>
        <p>
          {num(joined.log.used)} of {num(joined.log.lines)} lines were joined. {num(joined.log.broken)} could not be
          read:
        </p>
        <ul className="my-2 max-h-[300px] overflow-auto text-[13px]" data-broken="">
          {joined.faults.map((f) => (
            <li key={f.field + f.problem}>
              <span className="num text-caution">{f.field}</span> {f.problem}
            </li>
          ))}
        </ul>
        <Button reads main onClick={onDone}>
          Good
        </Button>
      </>
    );
  }
  return (
    <>
      <p className="mb-2 text-[13px] text-soft">
        Columns are parted by {delimiters[layout.delimiter]}, decimals by a {layout.decimalComma ? 'comma' : 'point'}.
        Times are told as {clocks[layout.clock]}.{layout.remembered && ' The columns are mapped as last time.'}
        {layout.eitherWay && (
          <>
            {' '}
            Day and month could be the other way round.{' '}
            <button type="button" className="underline" onClick={onSwap}>
              Swap them
            </button>
          </>
        )}
      </p>
      <div className="max-h-[340px] overflow-auto border-y border-line">
        <table className="table-thin w-full" data-mapping="">
          <thead>
            <tr>
              <th>Column</th>
              <th>Example</th>
              <th>Counts as</th>
            </tr>
          </thead>
          <tbody>
            {columns.map((c, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: columns have no other name than their place
              <tr key={i}>
                <td className="max-w-[190px] truncate">
                  {c.name} {c.unit && <span className="text-soft">{c.unit}</span>}
                </td>
                <td className="num max-w-[150px] truncate">{c.example}</td>
                <td>
                  {c.time ? (
                    <span className="text-soft">the time</span>
                  ) : c.numeric ? (
                    <ChannelPicker column={c} standard={layout.standard} onChange={(next) => change(i, next)} />
                  ) : (
                    <span className="text-soft">no figures</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <label className="my-2 flex items-baseline gap-2">
        Shift its times by
        <input
          className="num w-24 border border-line bg-sheet px-1 py-0.5"
          value={shift}
          onChange={(e) => setShift(e.target.value)}
        />
        s
        <span className="text-[13px] text-soft">
          {Number.isFinite(seconds) && `its first line then lies at ${place(layout.firstS + seconds)} of the trial`}
        </span>
      </label>
      <Problem error={join.error} />
      <div className="mt-2 flex gap-2">
        <Button
          main
          disabled={join.isPending || shift.trim() === '' || !Number.isFinite(seconds)}
          onClick={() => join.mutate()}
        >
          {join.isPending ? 'Joining …' : 'Join it'}
        </Button>
        <Button reads onClick={onDone}>
          Leave it
        </Button>
      </div>
    </>
  );
}

const place = (s: number) => (s < 0 ? `${signed(s, 0)} s` : span(s));

/** A channel of its own, one that has a meaning, or none. */
function ChannelPicker({
  column,
  standard,
  onChange,
}: {
  column: Column;
  standard: Schemas['LogTarget'][];
  onChange: (c: Partial<Column>) => void;
}) {
  return (
    <select
      aria-label={`${column.name} counts as`}
      className="w-full border border-line bg-sheet px-1 py-0.5"
      value={column.channel.startsWith('log.') ? 'own' : column.channel}
      onChange={(e) => {
        const key = e.target.value;
        const known = standard.find((s) => s.channel === key);
        onChange({ channel: key === 'own' ? column.own : key, label: known ? known.label : column.name });
      }}
    >
      <option value="own">a strip of its own</option>
      {standard.map((s) => (
        <option key={s.channel} value={s.channel}>
          {s.label}
        </option>
      ))}
      <option value="">nothing: leave it out</option>
    </select>
  );
}
