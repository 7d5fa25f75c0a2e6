import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link, useLocation, useSearch } from 'wouter';
import { api, type Schemas, take } from '../../api/client';
import { useRig } from '../../api/queries';
import { Button, Heading, Problem, Section } from '../../ui/elements';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { kinds, MakeSheet, PartSelect } from '../parts/part-select';
import { GoalSelect } from './goal-select';
import { LinkMachine } from './link-machine';

/** A machine comes to the bench: what it is, how settings get into its board, and then its first link. */
export function NewRigSheet({ rig }: SheetProps) {
  const linking = useSearch().includes('linking');
  return (
    <div className="h-full overflow-auto px-4 py-3">{linking ? <FirstLink key={rig} rig={rig} /> : <NewRig />}</div>
  );
}

type Way = 'card' | 'network' | 'system';

const ways: [Way, string][] = [
  ['card', 'typed at the board, from a setting card'],
  ['network', 'over the network, by the board’s Redfish service'],
  ['system', 'in the running system, by its agent'],
];

/** What the machine is. Only its name has to be known by now. */
export function NewRig() {
  const [, go] = useLocation();
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [note, setNote] = useState('');
  const [goal, setGoal] = useState('');
  const [parts, setParts] = useState<Partial<Record<(typeof kinds)[number], string>>>({});
  const [making, setMaking] = useState<(typeof kinds)[number]>();
  const [way, setWay] = useState<Way>('card');
  const byNetwork = way === 'network';
  const inSystem = way === 'system';
  const [address, setAddress] = useState('');
  const [user, setUser] = useState('');
  const [password, setPassword] = useState('');
  const chosen = inSystem ? [] : kinds.filter((k) => parts[k]);
  const half = chosen.length > 0 && chosen.length < kinds.length;
  const add = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs', {
          body: {
            name,
            note,
            goal,
            simulated: false,
            inSystem,
            parts: chosen.length === kinds.length ? (parts as Schemas['PartNames']) : undefined,
            firmware: byNetwork ? { address, user, password } : undefined,
          },
        }),
      ),
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ['rigs'] }); // its page has to know it
      go(`${sheetPath(made.rig.id, 'add')}?linking`);
    },
  });
  const board = useMutation({
    meta: { touches: [] },
    mutationFn: () => take(api.POST('/api/boards/try', { body: { address, user, password } })),
  });
  const tried = [address, user, password].join(' ');
  const [last, setLast] = useState('');
  const look = () => {
    if (!address.trim() || tried === last) return;
    setLast(tried);
    board.mutate();
  };
  const field = 'w-full border border-line bg-sheet px-1.5 py-0.5';
  if (making) {
    return (
      <MakeSheet
        kind={making}
        onDone={(id) => {
          if (id) setParts({ ...parts, [making]: id });
          setMaking(undefined);
        }}
      />
    );
  }
  return (
    <form
      className="max-w-[44rem]"
      data-new-rig=""
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <Heading note="only its name has to be known by now">New rig</Heading>
      <div className="mb-3 grid grid-cols-2 gap-x-6 gap-y-2">
        <Field label="Name of the rig">
          <input className={field} value={name} maxLength={60} onChange={(e) => setName(e.target.value)} />
        </Field>
        <Field label="What it is for">
          <input className={field} value={note} maxLength={300} onChange={(e) => setNote(e.target.value)} />
        </Field>
        <Field label="Goal of its tuning">
          <GoalSelect value={goal} onChange={setGoal} />
        </Field>
      </div>
      <Section title="How settings get in">
        {ways.map(([key, words]) => (
          <label key={key} className="flex items-baseline gap-2">
            <input type="radio" name="way" checked={way === key} onChange={() => setWay(key)} />
            {words}
          </label>
        ))}
        {inSystem && (
          <p className="mt-1 text-[13px] text-soft">
            Once it is linked, the machine tells what can be set, and its sheets are made of that. It is set at once,
            without a restart, and a restart puts all of it back.
          </p>
        )}
        {byNetwork && (
          // biome-ignore lint/a11y/noStaticElementInteractions: whatever field is left, the board is asked
          <div className="mt-2 grid grid-cols-3 gap-x-4" onBlur={look}>
            <Field label="Its address">
              <input
                className={field}
                value={address}
                placeholder="https://10.0.0.5"
                onChange={(e) => setAddress(e.target.value)}
              />
            </Field>
            <Field label="User">
              <input className={field} value={user} autoComplete="off" onChange={(e) => setUser(e.target.value)} />
            </Field>
            <Field label="Password">
              <input
                className={field}
                type="password"
                autoComplete="new-password"
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            </Field>
          </div>
        )}
        {byNetwork && board.isPending && (
          <p className="mt-1 text-[13px] text-soft">▸ The board is asked what it is …</p>
        )}
        {byNetwork && board.data && tried === last && (
          <p className="mt-1 text-[13px]" data-board={board.data.model}>
            <span className="text-held">●</span> It answers: {board.data.model}, firmware{' '}
            {board.data.version || 'not told'}, {board.data.on ? 'on' : 'off'}, {board.data.settings} settings, of which{' '}
            {board.data.known} are known by name.
          </p>
        )}
        {byNetwork && tried === last && <Problem error={board.error} />}
      </Section>
      {!inSystem && (
        <Section title="Parts" note="by their sheets: with them settings are known, checked and forecast">
          <div className="grid grid-cols-2 gap-x-6 gap-y-2">
            {kinds.map((kind) => (
              <Field key={kind} label={kind[0]?.toUpperCase() + kind.slice(1)}>
                <PartSelect
                  kind={kind}
                  value={parts[kind]}
                  none="not known"
                  onChange={(id) => setParts({ ...parts, [kind]: id })}
                />
              </Field>
            ))}
          </div>
          {half && <p className="mt-1 text-[13px] text-caution">Choose all four, or none for now.</p>}
          <p className="mt-1 text-[13px] text-soft">
            None fits? Make one of a{' '}
            {kinds.map((kind, i) => (
              <span key={kind}>
                {i > 0 && ', '}
                <button type="button" className="underline" onClick={() => setMaking(kind)}>
                  {kind}
                </button>
              </span>
            ))}
            . Or add it by its name: once it is linked, its machine begins the sheets, or is measured up.
          </p>
        </Section>
      )}
      <Button main type="submit" disabled={!name.trim() || half || (byNetwork && !address.trim()) || add.isPending}>
        Add a rig
      </Button>
      <Problem error={add.error} />
    </form>
  );
}

function Field({ label, children }: { label: string; children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is the child
    <label className="block">
      <span className="block text-[13px] text-soft">{label}</span>
      {children}
    </label>
  );
}

/** The rig is there; its machine links itself by a code. */
function FirstLink({ rig: id }: { rig: number }) {
  const rig = useRig(id);
  if (!rig) return null;
  return (
    <div className="max-w-[44rem]" data-added={rig.name}>
      <Heading note={rig.linked ? 'linked' : 'not linked yet'}>{rig.name}</Heading>
      {!rig.facts && <LinkMachine rig={rig} atOnce />}
      {rig.facts && rig.linked && (
        <p className="mb-3">
          <span className="text-held">● linked</span>: {rig.facts.processor || rig.facts.host}, {rig.facts.cores} cores,{' '}
          {rig.facts.channels} figures a second.
        </p>
      )}
      <p className="flex gap-5">
        <Link className="underline" href={sheetPath(id, 'trial')}>
          Its first trial
        </Link>
        <Link className="underline" href={sheetPath(id, 'rig')}>
          The rig
        </Link>
      </p>
    </div>
  );
}
