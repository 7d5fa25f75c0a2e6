import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { useMe, useOwns } from '../../api/me';
import { baselineQuery, useRig } from '../../api/queries';
import { useSeen } from '../../api/version';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { decimalsOf, num, timeOfDay } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { Drift } from '../fitting/drift';
import { AgentCommand } from './agent-command';
import { Corrections } from './corrections';
import { FromKin } from './from-kin';
import { GoalSelect } from './goal-select';
import { HandSketch } from './hand-sketch';
import { LinkMachine } from './link-machine';
import { MeasureUp } from './measure-up';
import { Contradictions, NameParts } from './name-parts';
import { PowerMachine } from './power-machine';
import { RemoveRig } from './remove-rig';
import { RigItself } from './rig-itself';

/** What is this machine, what did it do as delivered, where does the board exceed the maker's limits? */
export function RigSheet({ rig: id }: SheetProps) {
  const data = useRig(id);
  const { data: baseline } = useQuery(baselineQuery(id));
  if (!data) return null;
  return (
    <SheetWithDock dock={<LinkDock rig={data} />}>
      <Drift rig={data} />
      <Heading
        note={[data.simulated && 'simulated: a stand-in, not a machine', data.retired && 'retired']
          .filter(Boolean)
          .join('; ')}
      >
        {data.name}
      </Heading>
      <Note key={data.id} rig={data} />
      <div className="grid grid-cols-2 gap-x-8">
        <Parts rig={data} />
        <Facts rig={data} />
      </div>
      <FromKin rig={data} />
      <MeasureUp rig={data} />
      <div className="grid grid-cols-2 gap-x-8">
        {baseline && baseline.limits.length > 0 && <Audit rig={data} limits={baseline.limits} />}
        {baseline && <Baseline rig={data} figures={baseline.stock} />}
        {(data.facts?.channels ?? 0) > 0 && <Corrections key={data.id} rig={data.id} />}
      </div>
    </SheetWithDock>
  );
}

/** What the machine is for and what came of it, in a sentence, and what a tuning of it is for. */
function Note({ rig }: { rig: Rig }) {
  const [text, setText] = useState(rig.note);
  const { headers, ...seen } = useSeen(rig.version);
  const save = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: (body: Schemas['UpdateRigRequest']) =>
      take(api.PATCH('/api/rigs/{rig}', { params: { path: { rig: rig.id } }, headers, body })),
    ...seen,
  });
  return (
    <div className="mb-2">
      <textarea
        aria-label="What this machine is for"
        value={text}
        rows={text.length > 105 ? 2 : 1}
        placeholder="What this machine is for"
        maxLength={300}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => text !== rig.note && save.mutate({ note: text })}
        className="block w-full max-w-[50rem] resize-none border-b border-line bg-transparent px-1 py-0.5"
      />
      <p className="mt-1 px-1 text-[13px] text-soft">
        Goal of its tuning: <GoalSelect value={rig.goal} onChange={(goal) => save.mutate({ goal })} />
      </p>
      <Problem error={save.error} />
    </div>
  );
}

function Rows({ rows }: { rows: [string, string][] }) {
  return (
    <dl className="row-rule">
      {rows.map(([name, text]) => (
        <div key={name + text} className="flex justify-between gap-4 py-[3px]">
          <dt className="text-soft">{name}</dt>
          <dd className="text-right">{text}</dd>
        </div>
      ))}
    </dl>
  );
}

function Parts({ rig }: { rig: Rig }) {
  const p = rig.parts;
  const [naming, setNaming] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const sketch = useMutation({
    meta: { touches: ['rig', 'trim', 'part'] },
    mutationFn: () => take(api.POST('/api/rigs/{rig}/sketch', { params: { path: { rig: rig.id } } })),
  });
  return (
    <Section title="Parts">
      {p && rig.sketched ? (
        <Rows
          rows={[
            ['Processor', `${p.processor}, ${rig.coreGroups.map((g) => `${g.cores} cores in ${g.name}`).join(', ')}`],
            rig.inSystem ? ['Settings', 'those of its running system'] : ['Board', `${p.board}, by trade names`],
            ['Power, heat, voltages', 'not known, so nothing is forecast'],
          ]}
        />
      ) : p ? (
        <Rows
          rows={[
            ['Processor', `${p.processor}, ${rig.coreGroups.map((g) => `${g.cores} cores in ${g.name}`).join(', ')}`],
            ['Board', p.board],
            ['Cooler', p.cooler],
            ['Memory', p.memory],
          ]}
        />
      ) : (
        <>
          <p className="text-soft">
            No part sheets: trials can be run here, but settings are neither known nor forecast until parts are named.
          </p>
          {naming ? (
            <HandSketch rig={rig} onDone={() => setNaming(false)} />
          ) : (
            !rig.firmwareAddress && (
              <p className="mt-1 flex flex-wrap gap-2">
                <Button onClick={() => setNaming(true)}>Enter settings from cards</Button>
                {rig.asked && (
                  <Button disabled={sketch.isPending} onClick={() => sketch.mutate()}>
                    Set it in its running system
                  </Button>
                )}
              </p>
            )
          )}
          <Problem error={sketch.error} />
        </>
      )}
      <Contradictions rig={rig} />
      {choosing ? (
        <NameParts rig={rig} onDone={() => setChoosing(false)} />
      ) : (
        <button type="button" className="text-[13px] text-soft underline" onClick={() => setChoosing(true)}>
          {p && !rig.sketched ? 'Another cooler or memory' : 'Name its parts by their sheets'}
        </button>
      )}
      <Ambient rig={rig} />
    </Section>
  );
}

function Ambient({ rig }: { rig: Rig }) {
  const [text, setText] = useState(rig.ambientC.toFixed(1));
  const save = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: () =>
      take(api.PATCH('/api/rigs/{rig}', { params: { path: { rig: rig.id } }, body: { ambientC: Number(text) } })),
  });
  return (
    <form
      className="mt-1 flex items-center gap-2 border-t border-dotted border-line pt-1"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <label htmlFor="ambient" className="mr-auto text-soft">
        Room temperature, for forecasts
      </label>
      <input
        id="ambient"
        inputMode="decimal"
        value={text}
        onChange={(e) => setText(e.target.value)}
        className="num w-16 border border-line bg-sheet px-1 text-right"
      />
      °C
      {Number(text) !== rig.ambientC && <Button type="submit">Set</Button>}
      <Problem error={save.error} />
    </form>
  );
}

function Facts({ rig }: { rig: Rig }) {
  const f = rig.facts;
  if (!f) {
    return (
      <Section title="As it says of itself">
        <p className="text-soft">Not linked yet: its machine links itself by the code on the right.</p>
      </Section>
    );
  }
  const rows: [string, string][] = [
    ['Name', f.host],
    ['Processor', f.processor],
    ['Cores', `${f.cores}, ${f.threads} threads`],
    ['Memory', `${num(f.memoryMB / 1024, 1)} GiB`],
    ...f.modules.map((m) => ['', m] as [string, string]),
    ...(f.board ? [['Board', f.board] as [string, string]] : []),
    ...(f.firmware ? [['Firmware', f.firmware] as [string, string]] : []),
    ...(f.microcode ? [['Microcode', f.microcode] as [string, string]] : []),
    ['System', `${f.system} ${f.kernel === 'none' ? '' : f.kernel}`],
    ['Channels', `${f.channels} figures a second`],
  ];
  return (
    <Section title="As it says of itself">
      <Rows rows={rows} />
      {rig.powers && <PowerMachine rig={rig} />}
    </Section>
  );
}

function Audit({ rig, limits }: { rig: Rig; limits: Schemas['LimitAudit'][] }) {
  const beyond = limits.filter((l) => l.exceeds);
  return (
    <Section
      title="Limits"
      note={
        beyond.length > 0
          ? `as delivered: ${beyond.length} of ${limits.length} beyond the maker’s`
          : 'as delivered within the maker’s'
      }
    >
      {beyond.length > 0 && rig.trimInForce != null && (
        <p className="mb-1">
          <Link className="underline" href={sheetPath(rig.id, 'trim', rig.trimInForce, 'spec')}>
            New trim inside the maker’s limits
          </Link>
        </p>
      )}
      <table className="table-thin w-full">
        <thead>
          <tr>
            <th>Limit</th>
            <th className="right">Maker</th>
            <th className="right">Board</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {limits.map((l) => (
            <tr key={l.key}>
              <td>{l.name}</td>
              <td className="right num">
                {num(l.maker)} {l.unit}
              </td>
              <td className="right num">{l.board == null ? 'none' : `${num(l.board)} ${l.unit}`}</td>
              <td className={l.exceeds ? 'text-caution' : 'text-soft'}>
                {l.exceeds
                  ? l.board == null
                    ? '✕ unlimited'
                    : `✕ ${num((100 * l.board) / l.maker - 100)} % beyond`
                  : 'within'}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

function Baseline({ rig, figures }: { rig: Rig; figures: Schemas['Figure'][] }) {
  if (figures.length === 0) {
    return (
      <Section title="Baseline">
        <p className="max-w-[34rem] text-soft">
          Not measured yet. {rig.canFit ? 'Fit stock, then run' : 'Run'} a heavy leg and the yardsticks: everything
          later is compared with that.
        </p>
      </Section>
    );
  }
  return (
    <Section title="Baseline" note="heavy load as delivered, once warm">
      <table className="table-thin w-full">
        <thead>
          <tr>
            <th>Figure</th>
            <th className="right">Mean</th>
            <th className="right">Peak</th>
          </tr>
        </thead>
        <tbody>
          {figures.map((f) => (
            <tr key={f.key}>
              <td>{f.label}</td>
              <td className="right num whitespace-nowrap">
                {num(f.mean, decimalsOf(f.unit))} {f.unit}
              </td>
              <td className="right num whitespace-nowrap">
                {num(f.peak, decimalsOf(f.unit))} {f.unit}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

/** Whether what the board loses is fitted again without asking. */
function Refit({ rig }: { rig: Rig }) {
  const set = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: (refit: boolean) =>
      take(api.PATCH('/api/rigs/{rig}', { params: { path: { rig: rig.id } }, body: { refit } })),
  });
  return (
    <label className="mt-1 flex items-baseline gap-2">
      <input type="checkbox" checked={rig.refit} onChange={(e) => set.mutate(e.target.checked)} />
      {rig.inSystem ? 'Fit again by itself what a start loses' : 'Fit again by itself what the board loses'}
    </label>
  );
}

function LinkDock({ rig }: { rig: Rig }) {
  const me = useMe();
  const owns = useOwns();
  const renew = useMutation({
    meta: { touches: [] },
    mutationFn: () => take(api.POST('/api/rigs/{rig}/token', { params: { path: { rig: rig.id } } })),
  });
  return (
    <>
      <Section title="Link">
        <p className="mb-2">
          {rig.absentSince ? (
            <span className={rig.state === 'froze' ? 'text-caution' : ''}>
              {rig.state} since {timeOfDay(rig.absentSince)}
            </span>
          ) : rig.linked ? (
            <span className="text-held">● linked</span>
          ) : (
            <span className="text-caution">✕ not linked</span>
          )}
        </p>
        {!rig.simulated && !rig.facts && <LinkMachine rig={rig} />}
        {!rig.simulated && rig.facts && (
          <>
            <p className="mb-2 text-soft">The agent runs on the machine itself, started with its token:</p>
            {renew.data && <AgentCommand token={renew.data.token} fingerprint={me?.fingerprint} />}
            <Button disabled={!owns} onClick={() => renew.mutate()}>
              New token
            </Button>
            <p className="mt-1 text-[13px] text-soft">
              {owns ? 'The old token stops working.' : 'An owner of the bench makes it.'}
            </p>
            <Problem error={renew.error} />
          </>
        )}
      </Section>
      <Section title="Board">
        {rig.inSystem ? (
          <p className="text-soft">
            Set in the running system by its agent, at once. A start of the machine puts everything back.
          </p>
        ) : rig.firmwareAddress ? (
          <p className="text-soft">
            Reached over Redfish at <span className="num break-all text-ink">{rig.firmwareAddress}</span>
            {rig.simulated && ', a simulated board'}.
          </p>
        ) : (
          <p className="text-soft">
            Not reached over the network{rig.byHand ? ': trims are entered at the board, from a setting card.' : '.'}
          </p>
        )}
        {rig.firmwareVersion && (
          <p className="mt-1 text-soft">
            Firmware <span className="num text-ink">{rig.firmwareVersion}</span>
          </p>
        )}
        {rig.canFit && <Refit rig={rig} />}
        {rig.quirks.map((q) => (
          <p key={q} className="mt-1 border-l-2 border-caution pl-2">
            {q}
          </p>
        ))}
      </Section>
      <RigItself key={rig.id} rig={rig} />
      <RemoveRig rig={rig} />
    </>
  );
}
