import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useLocation } from 'wouter';
import type { Rig, Setting, Trim } from '../../api/client';
import { useOwns } from '../../api/me';
import { blameQuery, checkQuery, drawingsQuery, outcomeQuery } from '../../api/queries';
import { useActionKey } from '../../ui/action-key';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { moment, trimName, value } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { Standing } from '../../ui/standing';
import { ForecastDock, OutcomeDock, PreflightDock } from './forecast-dock';
import { Groups } from './groups';
import { Notes } from './notes';
import { ProofDock } from './proof';
import { useFit } from './use-fit';
import { useRemove } from './use-remove';

interface ViewProps {
  rig: Rig;
  rows: Setting[];
  trim: Trim;
  parent?: Trim;
  proven?: Trim;
}

/** Which change broke a trim: what it differs by from the nearest one that held. */
function Blamed({ rig, trim }: { rig: Rig; trim: Trim }) {
  const blame = useQuery(blameQuery(trim.id)).data;
  if (!blame?.held) return null;
  return (
    <Section title="What broke it" note="the least that it differs by from one that held">
      <div className="text-[13px]" data-blame={blame.held}>
        <p>
          <Link className="underline" href={sheetPath(rig.id, 'trim', blame.held)}>
            {trimName(blame)} {blame.number > 0 && blame.name}
          </Link>{' '}
          {blame.standing && <Standing standing={blame.standing} />}, {blame.summary}. This one has:
        </p>
        <ul className="row-rule">
          {blame.changes.map((c) => (
            <li key={c.key} className="flex flex-wrap justify-between gap-x-2 py-0.5">
              <span>{c.name}</span>
              <span className="num ml-auto text-right">
                {c.values[0]} → {c.values[1]}
              </span>
            </li>
          ))}
          {blame.changes.length === 0 && <li className="py-0.5">the same settings: they fail now and then.</li>}
        </ul>
      </div>
    </Section>
  );
}

/** The record for the machine's owner, and the same with the whole course, for a builder. */
function HandOver({ trim }: { trim: Trim }) {
  const at = `/api/trims/${trim.id}/record`;
  return (
    <Section title="Hand over" note={trim.standing === 'proven' ? undefined : 'its proof is not finished'}>
      <p className="flex flex-wrap gap-x-4 text-[13px]">
        <a className="underline" href={at} target="_blank" rel="noreferrer">
          Record for the owner
        </a>
        <a className="underline" href={`${at}?whole=true`} target="_blank" rel="noreferrer">
          With the whole course
        </a>
      </p>
    </Section>
  );
}

/** How many changes are told above the groups. */
const mostChanges = 4;

const leastReason = 10;

/** Fits a trim in spite of a stop that is the builder's own risk: he says why, and that stays on the record. */
function PassStop({ disabled, onPass }: { disabled: boolean; onPass: (despite: string) => void }) {
  const [why, setWhy] = useState('');
  return (
    <form
      className="flex w-full flex-col items-start gap-1 border border-caution p-2"
      data-pass-stop=""
      onSubmit={(e) => {
        e.preventDefault();
        onPass(why.trim());
      }}
    >
      <label htmlFor="pass-stop" className="text-[13px]">
        Preflight stops this trim for a risk. If you know it and take it, say why; it stays on the record.
      </label>
      <textarea
        id="pass-stop"
        rows={2}
        className="w-full border border-line bg-sheet px-1 py-0.5"
        value={why}
        onChange={(e) => setWhy(e.target.value)}
      />
      <button
        type="submit"
        className="rounded-[3px] border border-caution px-2 py-0.5 text-caution disabled:border-line disabled:text-soft"
        disabled={disabled || why.trim().length < leastReason}
      >
        Fit it all the same
      </button>
    </form>
  );
}

/** A trim that was saved: what it changes, how it stands, and what to do with it next. */
export function TrimView({ rig, rows, trim, parent, proven }: ViewProps) {
  const [, go] = useLocation();
  const check = useQuery(checkQuery(rig.id, parent?.id ?? null, trim.settings));
  const drawings = useQuery(drawingsQuery(rig.id, parent?.id ?? null, trim.settings));
  const outcome = useQuery(outcomeQuery(trim.id));
  const [find, setFind] = useState('');
  const fit = useFit(rig);
  const owns = useOwns();
  const remove = useRemove(trim);
  const stopping = check.data?.findings.filter((f) => f.level === 'stop') ?? [];
  const risky = stopping.length > 0 && stopping.every((f) => f.risk);
  // What a board was delivered with may always be fitted.
  const stops = stopping.length > 0 && !(risky && trim.number === 0);
  const mayFit = (rig.canFit || rig.byHand) && !trim.inForce && !stops && !fit.isPending;
  useActionKey('f', () => mayFit && fit.mutate(trim.id), [mayFit, trim.id]);
  const changedGroups = new Set(trim.changes.map((c) => rows.find((r) => r.key === c.key)?.group));
  return (
    <SheetWithDock
      dock={
        <>
          <Section title="Next">
            <div className="flex flex-col items-start gap-2">
              {(trim.standing === 'failed' || trim.standing === 'fitted') && trim.inForce && proven && (
                <Button main={trim.standing === 'failed'} onClick={() => fit.mutate(proven.id)}>
                  Back to {trimName(proven)}, {proven.standing}
                </Button>
              )}
              {!trim.inForce && (
                <Button
                  main={trim.standing !== 'failed'}
                  hint="f"
                  disabled={!mayFit}
                  onClick={() => fit.mutate(trim.id)}
                >
                  Fit {trimName(trim)}
                </Button>
              )}
              {stops && risky && !trim.inForce && (rig.canFit || rig.byHand) && (
                <PassStop disabled={fit.isPending} onPass={(despite) => fit.mutate({ trim: trim.id, despite })} />
              )}
              {trim.standing === 'draft' && parent && (
                <Button onClick={() => go(sheetPath(rig.id, 'trim', trim.id, 'edit'))}>Change this draft</Button>
              )}
              {trim.standing === 'draft' && parent && owns && (
                <Button disabled={remove.isPending} onClick={() => remove.mutate()}>
                  Remove it
                </Button>
              )}
              {trim.inForce && trim.standing !== 'failed' && (
                <Button reads main={trim.standing === 'fitted'} hint="t" onClick={() => go(sheetPath(rig.id, 'trial'))}>
                  {trim.standing === 'fitted' ? 'Prove it' : 'Prove further'}
                </Button>
              )}
              {trim.inForce && trim.standing === 'failed' && !proven && (
                <Button reads main onClick={() => go(sheetPath(rig.id, 'trim', trim.parent ?? trim.id))}>
                  Back to its parent
                </Button>
              )}
              <Button
                hint={trim.inForce ? 'n' : undefined}
                onClick={() => go(sheetPath(rig.id, 'trim', trim.id, 'new'))}
              >
                New trim from {trimName(trim)}
              </Button>
            </div>
            <Problem error={fit.error ?? remove.error} />
          </Section>
          {trim.standing === 'failed' && <Blamed rig={rig} trim={trim} />}
          <ProofDock rig={rig} trim={trim} />
          {trim.standing !== 'draft' && trim.standing !== 'failed' && <HandOver trim={trim} />}
          {outcome.data && outcome.data.measured.length > 0 ? (
            <OutcomeDock outcome={outcome.data} />
          ) : (
            check.data && <ForecastDock check={check.data} />
          )}
          {check.data && <PreflightDock findings={check.data.findings.filter((f) => f.rule !== 'no-change')} />}
        </>
      }
    >
      <Heading
        note={
          <>
            {trim.inForce && <span className="font-semibold text-ink">in force · </span>}
            {trim.profile && <span className="font-semibold text-ink">the {trim.profile} profile · </span>}
            <Standing standing={trim.standing} /> <span>· {trim.summary}</span>
            {trim.fittedAt && ` · first fitted ${moment(trim.fittedAt)}`}
          </>
        }
      >
        {trimName(trim)} {trim.number > 0 && trim.name}
      </Heading>
      {trim.reason && <p className="mb-2 max-w-[44rem] text-soft">{trim.reason}</p>}
      {parent && (
        <ul className="mb-3 max-w-[44rem]">
          {trim.changes.slice(0, mostChanges).map((c) => {
            const row = rows.find((r) => r.key === c.key);
            return (
              <li key={c.key}>
                {row?.name ?? c.key}{' '}
                <span className="num">
                  {value(c.from, row?.signed, row?.unit)} → {value(c.to, row?.signed, row?.unit)}
                </span>{' '}
                <span className="text-soft">
                  {row?.unit} against {trimName(parent)}
                </span>
              </li>
            );
          })}
          {trim.changes.length > mostChanges && (
            <li className="text-soft">and {trim.changes.length - mostChanges} more, in bold below</li>
          )}
        </ul>
      )}
      <Notes trim={trim} />
      <input
        type="search"
        aria-label="Find a setting"
        value={find}
        placeholder="Find a setting, by its name or by this board’s words"
        onChange={(e) => setFind(e.target.value)}
        className="mb-2 block w-full border-b border-line bg-transparent px-1 py-0.5"
      />
      <Groups
        rig={rig}
        find={find}
        inert={check.data?.inert ?? {}}
        curve={check.data?.curve}
        drawings={drawings.data}
        rows={rows}
        values={trim.settings}
        parent={parent?.settings ?? trim.settings}
        wrong={new Set()}
        open={(g) => changedGroups.has(g) || g === 'curve' || (changedGroups.size === 0 && g === 'limits')}
      />
    </SheetWithDock>
  );
}
