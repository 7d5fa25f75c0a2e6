import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, sendTable, type Trim, take } from '../../api/client';
import { scoresQuery, yardsticksQuery } from '../../api/queries';
import { Button, Problem, Section } from '../../ui/elements';
import { num, trimName } from '../../ui/format';

const field = 'border border-line bg-sheet px-1 py-0.5 min-w-0';

/** Results of other programs: typed in or imported, held against the trim that was in force. */
export function OtherScores({ rig, trims, trim }: { rig: number; trims: Trim[]; trim: Trim }) {
  const scores = useQuery(scoresQuery(rig));
  const yardsticks = useQuery(yardsticksQuery);
  const [adding, setAdding] = useState(false);
  const close = () => setAdding(false);
  const drop = useMutation({
    meta: { touches: ['score'] },
    mutationFn: (score: number) =>
      take(api.DELETE('/api/rigs/{rig}/scores/{score}', { params: { path: { rig, score } } })),
    onSuccess: close,
  });
  const load = useMutation({
    meta: { touches: ['score'] },
    mutationFn: (file: File) => sendTable<Schemas['ScoresAdded']>(`/api/rigs/${rig}/scores/import`, file),
    onSuccess: close,
  });
  const own = scores.data?.filter((s) => s.trial == null && s.trim === trim.id) ?? [];
  return (
    <Section title="Other programs" note={`under ${trimName(trim)}`}>
      <ul className="row-rule text-[13px]" data-other-scores="">
        {own.map((s) => {
          const y = yardsticks.data?.find((one) => one.id === s.yardstick);
          return (
            <li key={s.id} className="flex items-baseline justify-between gap-2 py-0.5" title={s.note}>
              <span className="min-w-0 truncate">{y?.name ?? s.yardstick}</span>
              <span className="num whitespace-nowrap">
                {num(s.value, 2)} {y?.unit}{' '}
                <button
                  type="button"
                  className="text-soft"
                  title={`Remove ${num(s.value, 2)}`}
                  onClick={() => drop.mutate(s.id)}
                >
                  ✕
                </button>
              </span>
            </li>
          );
        })}
      </ul>
      {adding ? (
        <AddScores rig={rig} trims={trims} trim={trim} onAdded={close} onLeave={() => setAdding(false)} />
      ) : (
        <div className="mt-1 flex flex-wrap gap-2">
          <Button onClick={() => setAdding(true)}>Enter results</Button>
          <label className="inline-flex cursor-pointer items-center rounded-[3px] border border-ink bg-sheet px-3 py-1 leading-snug focus-within:outline-2 hover:bg-tint-1">
            From a table
            <input
              type="file"
              accept=".csv,text/csv"
              className="sr-only"
              onChange={(e) => {
                const file = e.target.files?.[0];
                if (file) load.mutate(file);
                e.target.value = '';
              }}
            />
          </label>
        </div>
      )}
      {load.data && (
        <p className="mt-1 text-[13px] text-soft">
          {load.data.added} added{load.data.known > 0 && `, ${load.data.known} were there already`}.
        </p>
      )}
      <Problem error={load.error ?? drop.error} />
    </Section>
  );
}

interface AddProps {
  rig: number;
  trims: Trim[];
  trim: Trim;
  onAdded: () => void;
  onLeave: () => void;
}

function AddScores({ rig, trims, trim, onAdded, onLeave }: AddProps) {
  const yardsticks = useQuery(yardsticksQuery);
  const [name, setName] = useState('');
  const [unit, setUnit] = useState('');
  const [better, setBetter] = useState<'higher' | 'lower'>('higher');
  const [under, setUnder] = useState(trim.id);
  const [runs, setRuns] = useState('');
  const known = yardsticks.data?.find((y) => !y.own && y.name === name.trim());
  const values = runs
    .trim()
    .split(/[\s;]+/)
    .map((x) => Number(x.replace(',', '.')));
  const wrong = runs.trim() !== '' && values.some((v) => !(v > 0));
  const add = useMutation({
    meta: { touches: ['score'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/scores', {
          params: { path: { rig } },
          body: {
            trim: under,
            yardstick: name.trim(),
            unit: known?.unit ?? unit.trim(),
            better: known?.better ?? better,
            values,
          },
        }),
      ),
    onSuccess: onAdded,
  });
  return (
    <form
      className="mt-1 grid grid-cols-[5rem_1fr] items-center gap-x-2 gap-y-1"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <label htmlFor="other-name">Program</label>
      <input
        id="other-name"
        list="other-names"
        className={field}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <datalist id="other-names">
        {yardsticks.data
          ?.filter((y) => !y.own)
          .map((y) => (
            <option key={y.id} value={y.name} />
          ))}
      </datalist>
      <label htmlFor="other-unit">Unit</label>
      <span className="flex gap-2">
        <input
          id="other-unit"
          className={`num w-16 ${field}`}
          value={known?.unit ?? unit}
          disabled={known != null}
          onChange={(e) => setUnit(e.target.value)}
        />
        <select
          aria-label="Better"
          className={`flex-1 ${field}`}
          value={known?.better ?? better}
          disabled={known != null}
          onChange={(e) => setBetter(e.target.value as 'higher' | 'lower')}
        >
          <option value="higher">higher is better</option>
          <option value="lower">lower is better</option>
        </select>
      </span>
      <label htmlFor="other-trim">Trim</label>
      <select id="other-trim" className={field} value={under} onChange={(e) => setUnder(Number(e.target.value))}>
        {trims.map((t) => (
          <option key={t.id} value={t.id}>
            {trimName(t)} {t.number > 0 && t.name}
          </option>
        ))}
      </select>
      <label htmlFor="other-runs">Runs</label>
      <input
        id="other-runs"
        className={`num ${field}`}
        placeholder="one or more, with spaces"
        value={runs}
        onChange={(e) => setRuns(e.target.value)}
      />
      <span />
      <span className="flex gap-2">
        <Button main type="submit" disabled={name.trim() === '' || runs.trim() === '' || wrong || add.isPending}>
          Add
        </Button>
        <Button reads onClick={onLeave}>
          Leave it
        </Button>
      </span>
      {wrong && <p className="col-span-2 text-caution">Each run is a number above 0.</p>}
      <div className="col-span-2">
        <Problem error={add.error} />
      </div>
    </form>
  );
}
