import { useInfiniteQuery, useMutation, useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link, useLocation } from 'wouter';
import { api, type Rig, type Trial, take } from '../../api/client';
import { liveOn, trialQuery, trialsQuery, trimsQuery, useRig } from '../../api/queries';
import { useActionKey } from '../../ui/action-key';
import { Confirm } from '../../ui/confirm';
import { Button, Empty, Problem, Section, Verdict } from '../../ui/elements';
import { loadNames, span, trimName } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { ProofDock } from '../trim/proof';
import { useFit } from '../trim/use-fit';
import { LegFigures } from './leg-figures';
import { Legs } from './legs';
import { Logs } from './logs';
import { Samples } from './samples';
import { StartDock } from './start-dock';
import { Strips } from './strips';

/** Is it holding, and what holds it back? */
export function TrialSheet({ rig: rigId, id }: SheetProps) {
  const rig = useRig(rigId);
  const trials = useInfiniteQuery(trialsQuery(rigId));
  const trims = useQuery(trimsQuery(rigId));
  const shown = id ?? trials.data?.[0]?.id;
  const [figures, setFigures] = useState(false);
  useActionKey('v', () => setFigures((was) => !was), []);
  const running = liveOn(trials.data?.find((x) => x.id === shown));
  const trial = useQuery({ ...trialQuery(shown ?? 0, running), enabled: shown !== undefined });
  if (!rig || !trials.data || !trims.data) return <p className="p-4 text-soft">Reading the trials …</p>;
  const t = trial.data;
  const trim = trims.data.find((x) => x.id === t?.trim);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_276px]">
      <div className="flex min-h-0 flex-col overflow-hidden px-4 py-2.5">
        {t ? (
          <>
            <TrialHeading trial={t} trim={trim ? `${trimName(trim)}${trim.number > 0 ? ` ${trim.name}` : ''}` : ''} />
            {figures ? (
              <LegFigures trial={t}>
                <OtherView title="Strips" onClick={() => setFigures(false)} />
              </LegFigures>
            ) : (
              <Strips key={t.id} trial={t} others={trials.data.filter((x) => x.id !== t.id && x.startedAt)}>
                <OtherView title="Figures" onClick={() => setFigures(true)} />
              </Strips>
            )}
          </>
        ) : (
          <Empty>
            <strong>No trial was run yet.</strong> Start one on the right; it runs under the trim in force, and goes on
            if this page is closed.
          </Empty>
        )}
      </div>
      <aside className="min-h-0 overflow-auto border-l border-line px-4 py-3">
        {t && !t.ended ? <RunningDock trial={t} /> : <StartDock rig={rig} />}
        {t && <Legs trial={t} />}
        {t?.ended && t.purpose === 'sweep' && (
          <p className="mb-4">
            What it showed stands under{' '}
            <Link className="underline" href={sheetPath(rigId, 'cooling')}>
              Cooling
            </Link>
            .
          </p>
        )}
        {t?.ended && <WhatItShows rig={rig} trial={t} />}
        {t?.startedAt && <Logs trial={t} />}
        {t?.ended && t.startedAt && <Samples trial={t} />}
        <Earlier rig={rigId} trials={trials.data} shown={shown}>
          {trials.hasNextPage && (
            <Button reads className="mt-2" disabled={trials.isFetchingNextPage} onClick={() => trials.fetchNextPage()}>
              Earlier
            </Button>
          )}
        </Earlier>
      </aside>
    </div>
  );
}

/** Shows the trial the other way: as strips over time, or as what each leg came to. */
function OtherView({ title, onClick }: { title: string; onClick: () => void }) {
  return (
    <button
      type="button"
      className="border border-ink bg-sheet px-1.5 leading-[18px] hover:bg-tint-1"
      title={`${title} (v)`}
      onClick={onClick}
    >
      {title}
    </button>
  );
}

/** What a trial is called by what it is for. */
const words: Record<Trial['purpose'], string> = { proof: 'Trial', score: 'Benchmark', sweep: 'Fan sweep' };

function TrialHeading({ trial, trim }: { trial: Trial; trim: string }) {
  return (
    <header className="mb-1 flex items-baseline gap-3">
      <h1 className="text-[17px] font-semibold whitespace-nowrap">
        {words[trial.purpose]} {trial.number} under {trim}
      </h1>
      <p data-verdict={trial.verdict} className="truncate">
        {trial.ended || trial.verdict ? (
          <Verdict verdict={trial.verdict} core={trial.core} />
        ) : (
          <span className="num">{span(trial.remainingS)} left</span>
        )}
        {trial.injected && <span className="text-soft"> · caused on purpose</span>}
        <span className="text-soft"> {trial.why && `· ${trial.why}`}</span>
      </p>
    </header>
  );
}

function RunningDock({ trial }: { trial: Trial }) {
  const [asking, setAsking] = useState(false);
  const path = { params: { path: { trial: trial.id } } };
  const stop = useMutation({
    meta: { touches: ['trial'] },
    mutationFn: () => take(api.POST('/api/trials/{trial}/stop', path)),
  });
  const giveUp = useMutation({
    meta: { touches: ['trial', 'rig'] },
    mutationFn: () => take(api.POST('/api/trials/{trial}/give-up', path)),
  });
  const mark = useMutation({
    meta: { touches: ['trial'] },
    mutationFn: () => take(api.POST('/api/trials/{trial}/marks', { ...path, body: { text: 'marked by hand' } })),
  });
  useActionKey('.', () => setAsking(true), []);
  useActionKey('space', () => mark.mutate(), []);
  return (
    <Section title="Running" note={trial.state === 'running' ? '' : trial.state}>
      <div className="flex gap-2">
        <Button hint="." onClick={() => setAsking(true)}>
          Stop
        </Button>
        <Button hint="Space" onClick={() => mark.mutate()}>
          Mark
        </Button>
      </div>
      {(stop.isSuccess || trial.state !== 'running') && (
        <div data-give-up="">
          <p className="mt-3 mb-2 text-soft">It does not end? Given up without a word of the rig, what runs is void.</p>
          <Button onClick={() => giveUp.mutate()}>Give it up</Button>
        </div>
      )}
      <Problem error={stop.error ?? giveUp.error ?? mark.error} />
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title="Stop this trial?"
        action="Stop the trial"
        onConfirm={() => stop.mutate()}
      >
        What was measured stays, but the trial will prove nothing: the trim keeps the standing that it had before.
      </Confirm>
    </Section>
  );
}

function WhatItShows({ rig, trial }: { rig: Rig; trial: Trial }) {
  const [, go] = useLocation();
  const fit = useFit(rig);
  const trims = useQuery(trimsQuery(rig.id));
  const under = trims.data?.find((t) => t.id === trial.trim);
  const proven = trims.data?.find((t) => t.id === under?.backTo);
  const failed = under?.standing === 'failed';
  const still = rig.trimInForce === trial.trim;
  if (trial.purpose === 'score') {
    return (
      <Section title="Next">
        <Button reads main onClick={() => go(sheetPath(rig.id, 'scores'))}>
          Compare with stock
        </Button>
      </Section>
    );
  }
  if (under && !failed) return <ProofDock rig={rig} trim={under} />;
  if (!failed || !still || !proven) return null;
  return (
    <Section title="Next">
      <p className="mb-2 text-soft">
        {trimName(proven)} is the nearest that stands as {proven.standing}.
      </p>
      <Button main onClick={() => fit.mutate(proven.id)} disabled={fit.isPending}>
        Back to {trimName(proven)}
      </Button>
      <Problem error={fit.error} />
    </Section>
  );
}

function Earlier(props: { rig: number; trials: Trial[]; shown?: number; children: ReactNode }) {
  const { rig, trials, shown, children } = props;
  if (trials.length < 2) return null;
  return (
    <Section title="Trials">
      <ul className="row-rule text-[13px]">
        {trials.map((t) => (
          <li key={t.id}>
            <Link
              href={sheetPath(rig, 'trial', t.id)}
              aria-current={t.id === shown ? 'true' : undefined}
              className="flex justify-between gap-2 py-0.5 aria-[current]:font-semibold"
            >
              <span className="truncate">
                <span className="num text-soft">{t.number}</span> {t.name || loadNames[t.legs[0]?.load ?? '']}
              </span>
              <Verdict verdict={t.verdict} />
            </Link>
          </li>
        ))}
      </ul>
      {children}
    </Section>
  );
}
