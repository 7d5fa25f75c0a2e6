import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation } from 'wouter';
import type { Schemas, Trim } from '../../api/client';
import { comparisonQuery, type EnergyAsk, trimsQuery } from '../../api/queries';
import { useActionKey } from '../../ui/action-key';
import { Empty, Problem, Section, SheetWithDock, Sim } from '../../ui/elements';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { EnergyDay } from './energy';
import { Overlay } from './overlay';
import { Picks } from './picks';
import { SideTable } from './side-table';
import { TakeAway } from './take-away';

type Comparison = Schemas['Comparison'];

/** The most that stand side by side. */
export const mostCompared = 4;

/** Which configuration wins, at what? Two to four of them, of one rig or of several. */
export function CompareSheet({ rig, id, mode }: SheetProps) {
  const [, go] = useLocation();
  const trims = useQuery(trimsQuery(rig));
  const chosen = picked(trims.data ?? [], id, mode);
  const comparison = useQuery({ ...comparisonQuery(chosen), enabled: chosen.length > 1 });
  const [runs, setRuns] = useState(false);
  const [ask, setAsk] = useState<EnergyAsk>({});
  useActionKey('v', () => setRuns((was) => !was), []);
  if (!trims.data) return <p className="p-4 text-soft">Reading the course …</p>;
  const choose = (list: number[]) => go(sheetPath(rig, 'compare', list[0], list.slice(1).join(',') || undefined));
  const c = comparison.data;
  return (
    <SheetWithDock
      dock={
        <>
          <Picks rig={rig} of={c?.of ?? []} chosen={chosen} onChoose={choose} />
          {c && chosen.length > 1 && <Goals of={c.of} verdicts={c.verdicts} />}
          {c && c.notes.length > 0 && (
            <Section title="What cannot be compared">
              <ul className="list-disc pl-4 text-[13px]" data-notes="">
                {c.notes.map((n) => (
                  <li key={n}>{n}</li>
                ))}
              </ul>
            </Section>
          )}
          {c && chosen.length > 1 && <EnergyDay rig={rig} of={c.of} ask={ask} onAsk={setAsk} />}
          {c && chosen.length > 1 && <TakeAway trims={chosen} />}
        </>
      }
    >
      <Problem error={comparison.error} />
      {chosen.length < 2 && (
        <Empty>
          <strong>There is nothing to compare yet.</strong> Choose two to four trims at the right, or drag from one
          waypoint of the course below to another.
        </Empty>
      )}
      {c && chosen.length > 1 && (
        <>
          <Verdict c={c} />
          <nav className="mt-3 mb-1 flex gap-4" aria-label="Shown">
            <Face on={!runs} onClick={() => setRuns(false)}>
              Side by side
            </Face>
            <Face on={runs} onClick={() => setRuns(true)}>
              Runs overlaid <kbd className="num opacity-60">v</kbd>
            </Face>
          </nav>
          {runs ? <Overlay of={c.of} /> : <SideTable c={c} ask={ask} />}
        </>
      )}
      {!c && chosen.length > 1 && !comparison.error && <p className="text-soft">Holding them side by side …</p>}
    </SheetWithDock>
  );
}

/** The trims of an address; without any, stock and the trim in force, or the newest that is not stock. */
function picked(trims: Trim[], id?: number, mode?: string): number[] {
  if (id) return [...new Set([id, ...(mode ?? '').split(',').map(Number).filter(Boolean)])];
  const base = trims[0];
  const now = trims.find((t) => t.inForce && t.id !== base?.id) ?? trims.findLast((t) => t.id !== base?.id);
  return [base, now].filter((t): t is Trim => t !== undefined).map((t) => t.id);
}

function Face({ on, onClick, children }: { on: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={onClick}
      className={`border-b-2 pb-0.5 ${on ? 'border-ink' : 'border-transparent text-soft'}`}
    >
      {children}
    </button>
  );
}

/** What each came to against the base: the answer to what the sheet is asked. */
function Verdict({ c }: { c: Comparison }) {
  const base = c.of[0];
  const several = c.of.some((one) => one.rig !== base?.rig);
  return (
    <div data-verdict="">
      <h1 className="sr-only">
        {c.of
          .slice(1)
          .map((one) => one.name)
          .join(', ')}{' '}
        against {base?.name}
      </h1>
      {c.of.slice(1).map((one, i) => {
        const words = c.words[i] ?? [];
        return (
          <p key={one.trim} className="mt-1.5 text-[16px] leading-snug first:mt-0" data-words={one.name}>
            <strong>{one.name}</strong> {several && one.simulated && <Sim />}{' '}
            <span className="text-soft">against {base?.name}:</span>{' '}
            {words.map((w, k) => (
              <Said key={w.text} phrase={w} last={k === words.length - 1} />
            ))}
            {words.length === 0 && <span className="text-soft">nothing could be compared.</span>}
          </p>
        );
      })}
    </div>
  );
}

/** One thing that was shown, for the better or the worse, or what was not. */
function Said({ phrase, last }: { phrase: Schemas['Phrase']; last: boolean }) {
  const end = last ? '.' : ', ';
  if (!phrase.shown)
    return (
      <span className="text-[14px] text-soft">
        {phrase.text}
        {end}
      </span>
    );
  return (
    <>
      <span className={`whitespace-nowrap ${phrase.gain ? 'font-semibold' : 'font-semibold text-caution'}`}>
        {!phrase.gain && <span aria-hidden="true">✕ </span>}
        {phrase.text}
        {end.trim()}
      </span>{' '}
    </>
  );
}

/** Which serves each goal best. */
function Goals({ of, verdicts }: { of: Schemas['Compared'][]; verdicts: Schemas['GoalVerdict'][] }) {
  if (verdicts.length === 0) return null;
  return (
    <Section title="Which for what">
      <dl className="text-[13px]" data-goals="">
        {verdicts.map((v) => (
          <div key={v.goal} className="border-t border-dotted border-line py-1 first:border-t-0" data-goal={v.goal}>
            <dt className="flex justify-between gap-2">
              <span>{v.goal}</span>
              <span className="font-semibold">
                {v.places
                  .map((p, i) => p && `${p === 'best' ? '◆' : '◇'} ${of[i]?.name}`)
                  .filter(Boolean)
                  .join(' ')}
                {v.places.every((p) => !p) && <span className="font-normal text-soft">undecided</span>}
              </span>
            </dt>
            {of.length > 2 && <dd className="text-[12.5px] text-soft">{v.text}</dd>}
          </div>
        ))}
      </dl>
    </Section>
  );
}
