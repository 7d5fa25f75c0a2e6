import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { channelsQuery, correctionsQuery } from '../../api/queries';
import { Button, Problem, Section } from '../../ui/elements';
import { num, signed } from '../../ui/format';

type Correction = Schemas['Correction'];

/** Sensors that show something wrong, and how they are put right. */
export function Corrections({ rig }: { rig: number }) {
  const list = useQuery(correctionsQuery(rig));
  const [adding, setAdding] = useState(false);
  const put = useMutation({
    meta: { touches: ['correction'] },
    mutationFn: (c: { channel: string; scale: number; shift: number; reason: string }) => {
      const { channel, ...body } = c;
      return take(api.PUT('/api/rigs/{rig}/corrections/{channel}', { params: { path: { rig, channel } }, body }));
    },
    onSuccess: () => setAdding(false),
  });
  const drop = useMutation({
    meta: { touches: ['correction'] },
    mutationFn: (channel: string) =>
      take(api.DELETE('/api/rigs/{rig}/corrections/{channel}', { params: { path: { rig, channel } } })),
  });
  return (
    <Section title="Sensors put right" note="what is stored stays as it was read">
      <ul className="row-rule" data-corrections="">
        {list.data?.map((c) => (
          <li key={c.channel} className="py-1">
            <p className="flex items-baseline justify-between gap-2">
              <span className={c.source === 'proposed' ? 'text-caution' : ''}>{c.label}</span>
              <span className="num whitespace-nowrap">{formula(c)}</span>
            </p>
            <p className="flex items-baseline justify-between gap-2 text-[13px]">
              <span className={c.source === 'proposed' ? 'text-caution' : 'text-soft'}>{c.reason}</span>
              {c.source === 'proposed' && (
                <Button onClick={() => put.mutate({ ...pick(c), reason: c.reason })}>Put right</Button>
              )}
              {c.source === 'rig' && (
                <button
                  type="button"
                  className="text-soft"
                  title={`Show ${c.label} as it is read`}
                  onClick={() => drop.mutate(c.channel)}
                >
                  ✕
                </button>
              )}
              {c.source === 'board' && <span className="whitespace-nowrap text-soft">by the board’s sheet</span>}
            </p>
          </li>
        ))}
      </ul>
      {list.data?.length === 0 && !adding && <p className="text-soft">None: every figure is taken as it is read.</p>}
      {adding ? (
        <AddCorrection rig={rig} onPut={put.mutate} onLeave={() => setAdding(false)} />
      ) : (
        <Button className="mt-1" onClick={() => setAdding(true)}>
          Put a sensor right
        </Button>
      )}
      <Problem error={put.error ?? drop.error} />
    </Section>
  );
}

const pick = (c: Correction) => ({ channel: c.channel, scale: c.scale, shift: c.shift });

/** What is done to a reading. */
const formula = (c: Correction) =>
  [c.scale !== 1 && `× ${num(c.scale, 3)}`, c.shift !== 0 && `${signed(c.shift, 3)} ${c.unit}`]
    .filter(Boolean)
    .join(' ');

const field = 'border border-line bg-sheet px-1 py-0.5';

function AddCorrection({
  rig,
  onPut,
  onLeave,
}: {
  rig: number;
  onPut: (c: { channel: string; scale: number; shift: number; reason: string }) => void;
  onLeave: () => void;
}) {
  const channels = useQuery(channelsQuery(rig));
  const [channel, setChannel] = useState('');
  const [scale, setScale] = useState('1');
  const [shift, setShift] = useState('0');
  const [reason, setReason] = useState('');
  const unit = channels.data?.find((c) => c.key === channel)?.unit ?? '';
  return (
    <form
      className="mt-1 grid grid-cols-[6rem_1fr] items-center gap-x-2 gap-y-1"
      onSubmit={(e) => {
        e.preventDefault();
        onPut({ channel, scale: Number(scale), shift: Number(shift), reason: reason.trim() });
      }}
    >
      <label htmlFor="correct-channel">Sensor</label>
      <select id="correct-channel" className={field} value={channel} onChange={(e) => setChannel(e.target.value)}>
        <option value="">choose one</option>
        {channels.data?.map((c) => (
          <option key={c.key} value={c.key}>
            {c.label}
          </option>
        ))}
      </select>
      <label htmlFor="correct-scale">Times</label>
      <input id="correct-scale" className={`num ${field}`} value={scale} onChange={(e) => setScale(e.target.value)} />
      <label htmlFor="correct-shift">Plus {unit}</label>
      <input id="correct-shift" className={`num ${field}`} value={shift} onChange={(e) => setShift(e.target.value)} />
      <label htmlFor="correct-reason">Because</label>
      <input id="correct-reason" className={field} value={reason} onChange={(e) => setReason(e.target.value)} />
      <span />
      <span className="flex gap-2">
        <Button main type="submit" disabled={channel === '' || reason.trim() === ''}>
          Put right
        </Button>
        <Button reads onClick={onLeave}>
          Leave it
        </Button>
      </span>
    </form>
  );
}
