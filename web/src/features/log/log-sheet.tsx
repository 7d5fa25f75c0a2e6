import { useInfiniteQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import type { Schemas } from '../../api/client';
import { logQuery } from '../../api/queries';
import { Button, Empty, Heading, SheetWithDock } from '../../ui/elements';
import { moment } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { FoundTrims } from './find-trims';
import { ReportIncident } from './report-incident';
import { Watches } from './watches';

type Entry = Schemas['LogEntry'];

const kinds: [Entry['kind'], string, string][] = [
  ['trim', 'Trims', '◇'],
  ['fitting', 'Fittings', '⌂'],
  ['trial', 'Trials', '≈'],
  ['incident', 'Incidents', '✕'],
  ['watch', 'Watches', '▲'],
  ['pilot', 'Pilots', '⚑'],
];

/** What happened on this rig, and what is looked out for in daily use. */
export function LogSheet({ rig }: SheetProps) {
  const log = useInfiniteQuery(logQuery(rig));
  const all = log.data?.pages.flat();
  const [words, setWords] = useState('');
  const [hidden, setHidden] = useState<Set<string>>(new Set());
  const toggle = (kind: string) =>
    setHidden((now) => {
      const next = new Set(now);
      if (!next.delete(kind)) next.add(kind);
      return next;
    });
  const entries = all?.filter((e) => !hidden.has(e.kind)) ?? [];
  return (
    <SheetWithDock
      dock={
        <>
          <ReportIncident rig={rig} />
          <Watches rig={rig} />
        </>
      }
    >
      <Heading note="newest first, by the rig’s clock">Log</Heading>
      <input
        aria-label="Find trims over all rigs"
        placeholder="Find trims over all rigs: a reason, a setting, an outcome …"
        maxLength={200}
        className="mb-2 w-full max-w-[34rem] border border-line bg-sheet px-1.5 py-0.5"
        value={words}
        onChange={(e) => setWords(e.target.value)}
      />
      {words.trim() ? (
        <FoundTrims words={words} />
      ) : (
        <>
          <fieldset className="mb-2 flex gap-4 text-[13px]" aria-label="Shown">
            {kinds.map(([kind, name, mark]) => (
              <label key={kind} className="flex items-center gap-1">
                <input type="checkbox" checked={!hidden.has(kind)} onChange={() => toggle(kind)} />
                <span aria-hidden="true">{mark}</span> {name}
                <span className="num text-soft">{all?.filter((e) => e.kind === kind).length}</span>
              </label>
            ))}
          </fieldset>
          {all?.length === 0 && (
            <Empty>
              <strong>Nothing happened yet.</strong> Trims, fittings, trials, incidents, watches and pilots are listed
              here.
            </Empty>
          )}
          <ol className="row-rule" data-log="">
            {entries.map((e, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: entries have no name of their own, and only grow at the top
              <Line key={i} entry={e} rig={rig} day={dayOf(e) !== dayOf(entries[i - 1])} />
            ))}
          </ol>
          {log.hasNextPage && (
            <Button reads className="mt-2" disabled={log.isFetchingNextPage} onClick={() => log.fetchNextPage()}>
              Earlier
            </Button>
          )}
        </>
      )}
    </SheetWithDock>
  );
}

const dayOf = (e?: Entry) => (e ? moment(e.at).split(',')[0] : undefined);

function Line({ entry, rig, day }: { entry: Entry; rig: number; day: boolean }) {
  const [date, time] = moment(entry.at).split(', ');
  const href = entry.trial
    ? sheetPath(rig, 'trial', entry.trial)
    : entry.kind === 'fitting'
      ? sheetPath(rig, 'fitting')
      : entry.trim && sheetPath(rig, 'trim', entry.trim);
  const title = href ? (
    <Link href={href} className="underline decoration-line underline-offset-2">
      {entry.title}
    </Link>
  ) : (
    entry.title
  );
  return (
    <li data-kind={entry.kind} className="grid grid-cols-[4rem_3.2rem_1.4rem_minmax(0,1fr)] items-baseline py-1">
      <span className="text-[13px] font-semibold">{day && date}</span>
      <span className="num text-soft">{time}</span>
      <span aria-hidden="true" className={entry.bad ? 'text-caution' : 'text-soft'}>
        {kinds.find(([k]) => k === entry.kind)?.[2]}
      </span>
      <span>
        <span className={entry.bad ? 'font-semibold text-caution' : ''}>{title}</span>
        {entry.text && <span className="text-soft"> · {entry.text}</span>}
      </span>
    </li>
  );
}
