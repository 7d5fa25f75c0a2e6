import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { watchableQuery, watchesQuery } from '../../api/queries';
import { Button, Problem, Section } from '../../ui/elements';
import { num } from '../../ui/format';

type Watch = Schemas['Watch'];
type Rule = Schemas['WatchRule'];

/** The rig's watches, and a form for one more. */
export function Watches({ rig }: { rig: number }) {
  const watches = useQuery(watchesQuery(rig));
  const channels = useQuery(watchableQuery(rig));
  const [adding, setAdding] = useState(false);
  const drop = useMutation({
    meta: { touches: ['watch'] },
    mutationFn: (watch: number) => take(api.DELETE('/api/watches/{watch}', { params: { path: { watch } } })),
  });
  const unit = (w: Watch) => channels.data?.find((c) => c.key === w.rule.channel)?.unit ?? '';
  return (
    <Section title="Watches" note="tell when a figure is out of bounds">
      <ul className="row-rule text-[13px]" data-watches="">
        {watches.data?.map((w) => (
          <li key={w.id} className="py-1">
            <p className="flex justify-between gap-2">
              <span className={w.raised ? 'font-semibold text-caution' : ''}>
                {w.raised ? '▲ ' : ''}
                {w.rule.message}
              </span>
              <button
                type="button"
                className="text-soft"
                title={`Watch no longer: ${w.rule.message}`}
                onClick={() => drop.mutate(w.id)}
              >
                ✕
              </button>
            </p>
            <p className="text-soft">
              {channels.data?.find((c) => c.key === w.rule.channel)?.label ?? w.rule.channel} {w.rule.when}{' '}
              <span className="num">
                {num(w.rule.threshold, 1)} {unit(w)}
              </span>
              {w.rule.delayS > 0 && (
                <>
                  {' '}
                  for <span className="num">{num(w.rule.delayS)} s</span>
                </>
              )}
              {w.raised && w.value != null && `, at ${num(w.value, 1)} ${unit(w)}`}
              {w.send && `, sent to ${w.send}`}
            </p>
          </li>
        ))}
      </ul>
      {adding && channels.data ? (
        <AddWatch rig={rig} channels={channels.data} done={() => setAdding(false)} />
      ) : (
        <Button className="mt-1" disabled={!channels.data?.length} onClick={() => setAdding(true)}>
          Add a watch
        </Button>
      )}
      <Problem error={drop.error} />
    </Section>
  );
}

const field = 'w-full border border-line bg-sheet px-1 py-0.5';

function AddWatch({ rig, channels, done }: { rig: number; channels: Schemas['Channel'][]; done: () => void }) {
  const first = channels.find((c) => c.key === 'temperature.package') ?? channels[0];
  const [rule, setRule] = useState<Rule>({
    channel: first?.key ?? '',
    when: 'above',
    threshold: 90,
    margin: 3,
    delayS: 10,
    message: '',
  });
  const [send, setSend] = useState('');
  const set = (part: Partial<Rule>) => setRule((r) => ({ ...r, ...part }));
  const add = useMutation({
    meta: { touches: ['watch'] },
    mutationFn: () =>
      take(api.POST('/api/rigs/{rig}/watches', { params: { path: { rig } }, body: { rule, send: send.trim() } })),
    onSuccess: done,
  });
  const unit = channels.find((c) => c.key === rule.channel)?.unit;
  const number = (name: string, key: 'threshold' | 'margin' | 'delayS', behind?: string) => (
    <label className="block">
      <span className="text-soft">
        {name} {behind && <span className="num">{behind}</span>}
      </span>
      <input
        className={`num ${field}`}
        type="number"
        step="any"
        value={Number.isNaN(rule[key]) ? '' : rule[key]}
        onChange={(e) => set({ [key]: e.target.valueAsNumber })}
      />
    </label>
  );
  return (
    <form
      className="mt-2 flex flex-col gap-1.5 text-[13px]"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <label className="block">
        <span className="text-soft">Channel</span>
        <select className={field} value={rule.channel} onChange={(e) => set({ channel: e.target.value })}>
          {channels.map((c) => (
            <option key={c.key} value={c.key}>
              {c.label}
            </option>
          ))}
        </select>
      </label>
      <div className="grid grid-cols-2 gap-1.5">
        <label className="block">
          <span className="text-soft">When</span>
          <select className={field} value={rule.when} onChange={(e) => set({ when: e.target.value as Rule['when'] })}>
            <option value="above">above</option>
            <option value="below">below</option>
          </select>
        </label>
        {number('Threshold', 'threshold', unit)}
        {number('For', 'delayS', 's')}
        {number('All clear by', 'margin', unit)}
      </div>
      <label className="block">
        <span className="text-soft">Message</span>
        <input className={field} value={rule.message} onChange={(e) => set({ message: e.target.value })} />
      </label>
      <label className="block">
        <span className="text-soft">Send to (optional)</span>
        <input
          className={field}
          value={send}
          placeholder="http://host/path"
          onChange={(e) => setSend(e.target.value)}
        />
      </label>
      <div className="flex gap-2">
        <Button main type="submit" disabled={add.isPending}>
          Watch
        </Button>
        <Button reads onClick={done}>
          Leave it
        </Button>
      </div>
      <Problem error={add.error} />
    </form>
  );
}
