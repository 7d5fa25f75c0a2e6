import { useMutation, useQuery } from '@tanstack/react-query';
import { useLocation } from 'wouter';
import { api, type Fitting, type Rig, take } from '../../api/client';
import { fittingsQuery, settingsQuery, trimsQuery, useRig } from '../../api/queries';
import { Button, Empty, Heading, Problem, Section, SheetWithDock, Verdict } from '../../ui/elements';
import { moment, trimName, value } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { useFit } from '../trim/use-fit';
import { CardEntry } from './card';
import { Drift } from './drift';

/** Is it in force? */
export function FittingSheet({ rig: id }: SheetProps) {
  const rig = useRig(id);
  const fittings = useQuery(fittingsQuery(id));
  const trims = useQuery(trimsQuery(id));
  if (!rig || !fittings.data || !trims.data) return <p className="p-4 text-soft">Reading the fittings …</p>;
  const newest = fittings.data[0];
  if (!newest) {
    return (
      <div className="px-4">
        <Empty>
          {rig.canFit || rig.byHand ? (
            <>
              <strong>Nothing was fitted yet.</strong> Begin with stock: open it on the course line below and fit it, so
              that the baseline is true.
            </>
          ) : (
            <>
              <strong>The board of {rig.name} is not reached over the network.</strong> Its settings stay as they are:
              “as found”.
            </>
          )}
        </Empty>
      </div>
    );
  }
  const nameOf = (trim: number) => {
    const t = trims.data.find((x) => x.id === trim);
    return t ? `${trimName(t)}${t.number > 0 ? ` ${t.name}` : ''}` : '';
  };
  return (
    <SheetWithDock dock={<NextDock rig={rig} fitting={newest} />}>
      <Drift rig={rig} />
      <Heading note={moment(newest.at)}>Fitting {nameOf(newest.trim)}</Heading>
      {newest.byHand && !newest.ended ? <CardEntry rig={rig} fitting={newest} /> : <Progress fitting={newest} />}
      <Differences rig={rig} fitting={newest} />
      <Section title="Earlier">
        <table className="table-thin">
          <tbody>
            {fittings.data.slice(1, 12).map((f) => (
              <tr key={f.id}>
                <td className="num text-soft">{moment(f.at)}</td>
                <td className="min-w-52">{nameOf(f.trim)}</td>
                <td>
                  <Verdict verdict={f.state} />
                </td>
                <td className="text-soft">{f.problem}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {fittings.data.length === 1 && <p className="text-soft">None.</p>}
      </Section>
    </SheetWithDock>
  );
}

const marks = { done: '●', now: '▸', waiting: '○', failed: '✕' };

function Progress({ fitting }: { fitting: Fitting }) {
  return (
    <ol className="mb-4 max-w-[34rem] text-[16px]" data-fitting={fitting.state}>
      {fitting.steps.map((s) => (
        <li
          key={s.name}
          className={`flex gap-3 py-1 ${s.state === 'waiting' ? 'text-soft' : ''} ${s.state === 'failed' ? 'text-caution' : ''}`}
        >
          <span aria-hidden="true" className={`w-4 text-center ${s.state === 'done' ? 'text-held' : ''}`}>
            {marks[s.state]}
          </span>
          <span className={s.state === 'now' ? 'font-semibold' : ''}>{s.name}</span>
          <span className="sr-only">{s.state}</span>
        </li>
      ))}
      <li className="mt-1 border-t border-line pt-2">
        {fitting.ended ? <Verdict verdict={fitting.state} /> : <span className="text-soft">under way</span>}
        {fitting.problem && <p className="text-caution">{fitting.problem}</p>}
        {fitting.despite && (
          <p className="text-caution" data-despite="">
            Fitted although preflight stopped it: {fitting.despite}
          </p>
        )}
        {fitting.state === 'in force' && (
          <p className="text-soft">
            {fitting.byHand
              ? 'Entered by hand; what shows on the running machine agrees.'
              : `Every setting reads back as asked${fitting.atOnce ? ', until the machine starts anew' : ''}.`}
          </p>
        )}
      </li>
    </ol>
  );
}

function Differences({ rig, fitting }: { rig: Rig; fitting: Fitting }) {
  const settings = useQuery({ ...settingsQuery(rig.id), enabled: rig.parts != null });
  if (fitting.differences.length === 0) return null;
  return (
    <Section title="Not as asked">
      <table className="table-thin">
        <thead>
          <tr>
            <th>Setting</th>
            <th className="right">Asked</th>
            <th className="right">In force</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {fitting.differences.map((d) => (
            <tr key={d.key}>
              <td>{settings.data?.find((s) => s.key === d.key)?.name ?? d.key}</td>
              <td className="right num">{value(d.wanted)}</td>
              <td className="right num text-caution">{value(d.found)}</td>
              <td className="text-soft">{d.text}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

function whileItLasts({ byHand, atOnce, state }: Fitting) {
  if (atOnce) return 'The agent sets the running system, at once and without a restart, and reads it back.';
  if (!byHand) return 'The machine restarts. This goes on if the page is closed, and after a restart of the server.';
  return state === 'entering'
    ? 'Enter each line at the board, save there, and restart. Ticks are kept if the page is closed; the same page works on a phone.'
    : 'Restart the machine. Once it runs, what shows of the trim there is compared; this goes on if the page is closed.';
}

function NextDock({ rig, fitting }: { rig: Rig; fitting: Fitting }) {
  const [, go] = useLocation();
  const fit = useFit(rig);
  const giveUp = useMutation({
    meta: { touches: ['fitting', 'rig', 'trim'] },
    mutationFn: () => take(api.POST('/api/fittings/{fitting}/cancel', { params: { path: { fitting: fitting.id } } })),
  });
  if (!fitting.ended) {
    return (
      <Section title="Next">
        <p>{whileItLasts(fitting)}</p>
        {!fitting.byHand && (
          <>
            <p className="mt-3 mb-2 text-soft">
              It does not end? Once it is given up, nobody knows what is on the board.
            </p>
            <Button onClick={() => giveUp.mutate()}>Give it up</Button>
          </>
        )}
        <Problem error={giveUp.error} />
      </Section>
    );
  }
  return (
    <Section title="Next">
      <div className="flex flex-col items-start gap-2">
        {fitting.state === 'in force' ? (
          <Button reads main hint="t" onClick={() => go(sheetPath(rig.id, 'trial'))}>
            Prove it
          </Button>
        ) : (
          <Button main onClick={() => fit.mutate(fitting.trim)}>
            Fit it again
          </Button>
        )}
        <Button reads onClick={() => go(sheetPath(rig.id, 'trim', fitting.trim))}>
          Show the trim
        </Button>
      </div>
      <Problem error={fit.error} />
    </Section>
  );
}
