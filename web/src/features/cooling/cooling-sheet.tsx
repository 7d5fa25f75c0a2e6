import { useMutation, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useLocation } from 'wouter';
import { api, type Schemas, take } from '../../api/client';
import { type CoolingAsk, coolingQuery, drawnQuery, useRig } from '../../api/queries';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { count, num, trimName } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { loadWords } from './curve';
import { CurveChart } from './curve-chart';
import { Headers } from './headers';
import { HourChart } from './hour-chart';

type Cooling = Schemas['Cooling'];
type View = Schemas['CurveView'];
type Drawn = Schemas['DrawnCurve'];

/** How is the machine cooled, and how much quieter could it be? The fan curve, what comes of it, and the quietest one. */
export function CoolingSheet({ rig, id }: SheetProps) {
  const owner = useRig(rig);
  const [ask, setAsk] = useState<CoolingAsk>({});
  const [drawing, setDrawn] = useState<{ trim?: number; drawn: Drawn }>();
  const drawn = drawing && drawing.trim === id ? drawing.drawn : undefined;
  const query = useQuery(coolingQuery(rig, id, ask));
  const settled = useDeferredValue(drawn);
  const come = useQuery(drawnQuery(rig, id, ask, settled));
  const at = query.data;
  if (!at || !owner)
    return query.error ? (
      <div className="p-4">
        <Problem error={query.error} />
      </div>
    ) : (
      <p className="p-4 text-soft">Working out the cooling …</p>
    );
  const view = (drawn && come.data) || at.today;
  const curve = drawn?.curve ?? at.today.curve;
  const draw = (next: Partial<Drawn>) => setDrawn({ trim: id, drawn: { ...(drawn ?? own(at.today)), ...next } });
  return (
    <SheetWithDock
      dock={
        <>
          <Proposal
            rig={rig}
            at={at}
            drawn={drawn && come.data}
            onDraw={() => at.proposed && draw(own(at.proposed))}
            onBack={() => setDrawn(undefined)}
          />
          <Ceilings at={at} ask={ask} onAsk={setAsk} />
          <Problem error={query.error ?? come.error} />
          <Headers rig={owner} at={at} />
        </>
      }
    >
      <Heading
        note={`${trimName({ number: at.number, name: 'stock' })}, ${num(view.meanDB, 1)} dB(A) over a day of use`}
      >
        Cooling
      </Heading>
      <CurveChart
        at={at}
        curve={curve}
        view={view}
        own={drawn === undefined}
        onCurve={(next) => draw({ curve: next })}
      />
      <Legend at={at} drawn={drawn !== undefined} />
      <LoadTable at={at} drawn={drawn && come.data} />
      {at.recorded && (
        <Section title="Response" note={`as trial ${at.recorded.number} was recorded, the temperature taken as it was`}>
          <Response at={at} drawn={drawn} view={view} onDraw={draw} />
          <HourChart recorded={at.recorded} today={at.today} drawn={drawn && come.data} />
        </Section>
      )}
    </SheetWithDock>
  );
}

/** A curve as it is drawn on from. */
const own = (v: View): Drawn => ({
  curve: v.curve,
  responseS: v.responseS,
  smoothingS: v.smoothingS,
  pump: v.pump || undefined,
});

function Legend({ at, drawn }: { at: Cooling; drawn: boolean }) {
  return (
    <p className="mb-3 text-[12.5px] text-soft">
      Thick: {drawn ? 'as drawn' : 'as set'}
      {drawn && '; thin: as set'}
      {at.proposed && '; dashed: quietest'}. Drag a point. Shaded: for how long each temperature was seen, from idle
      (pale) to full load{at.seenAll && ', under any trim'}. A bar is where a load settles, as wide as its 90 %
      interval.
    </p>
  );
}

interface LoadTableProps {
  at: Cooling;
  drawn?: View;
}

/** What comes of the curve that is set, measured and forecast, and of the one that is drawn. */
function LoadTable({ at, drawn }: LoadTableProps) {
  return (
    <table className="table-thin mb-4 w-full text-[13px]">
      <thead className="text-soft">
        <tr>
          <th />
          <th colSpan={4} className="right">
            as set
          </th>
          {drawn && (
            <th colSpan={3} className="right">
              as drawn
            </th>
          )}
        </tr>
        <tr>
          <th>under</th>
          <th className="right">measured °C</th>
          <th className="right">forecast °C</th>
          <th className="right">rpm</th>
          <th className="right">dB(A)</th>
          {drawn && (
            <>
              <th className="right">forecast °C</th>
              <th className="right">rpm</th>
              <th className="right">dB(A)</th>
            </>
          )}
        </tr>
      </thead>
      <tbody className="row-rule num">
        {at.today.loads.map((l) => {
          const d = drawn?.loads.find((o) => o.load === l.load);
          return (
            <tr key={l.load} data-load={l.load}>
              <th className="font-sans font-normal">{loadWords[l.load]}</th>
              <td className="right">{l.measured ? `${num(l.measured.value, 1)} ± ${num(l.measured.half, 1)}` : '–'}</td>
              <td className="right forecast">
                {num(l.hottestC, 1)} ± {num(l.halfC, 1)}
              </td>
              <td className="right forecast">{num(l.rpm)}</td>
              <td className="right forecast">{noise(l)}</td>
              {drawn && (
                <>
                  <td className={`right forecast ${d?.over ? 'text-caution' : ''}`}>
                    {d && `${num(d.hottestC, 1)} ± ${num(d.halfC, 1)}`}
                  </td>
                  <td className="right forecast">{d && num(d.rpm)}</td>
                  <td className="right forecast">{d && noise(d)}</td>
                </>
              )}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

const noise = (l: Schemas['LoadCooled']) =>
  l.noiseHalf >= 0.05 ? `${num(l.noiseDB, 1)} ± ${num(l.noiseHalf, 1)}` : num(l.noiseDB, 1);

interface ResponseProps {
  at: Cooling;
  drawn?: Drawn;
  view: View;
  onDraw: (next: Partial<Drawn>) => void;
}

/** How often the fan would have been heard to change, and what that hangs on. */
function Response({ at, drawn, view, onDraw }: ResponseProps) {
  const set = at.today.follows;
  const now = view.follows;
  const figure = (label: string, value: number, most: number, key: 'responseS' | 'smoothingS') =>
    most > 0 && (
      <label className="inline-flex items-baseline gap-1.5">
        {label}
        <input
          type="number"
          className="num w-14 border border-line bg-sheet px-1 text-right"
          min={0}
          max={most}
          value={value}
          aria-label={label}
          onChange={(e) => onDraw({ [key]: Number(e.target.value) })}
        />
        s
      </label>
    );
  return (
    <p className="mb-1 flex flex-wrap items-baseline gap-x-5 text-[13px]">
      <strong data-changes={now?.changes}>
        {set && drawn && now
          ? `Heard to change ${count(set.changes, 'time')} as set, ${now.changes} as drawn.`
          : set && `Heard to change ${count(set.changes, 'time')}.`}
      </strong>
      {figure('response', drawn?.responseS ?? at.today.responseS, at.maxResponseS, 'responseS')}
      {figure('smoothing', drawn?.smoothingS ?? at.today.smoothingS, at.maxSmoothingS, 'smoothingS')}
    </p>
  );
}

interface ProposalProps {
  rig: number;
  at: Cooling;
  drawn?: View;
  onDraw: () => void;
  onBack: () => void;
}

/** The quietest curve, and from a drawing to a trim. */
function Proposal({ rig, at, drawn, onDraw, onBack }: ProposalProps) {
  const [, go] = useLocation();
  const make = useMutation({
    meta: { touches: ['trim'] },
    mutationFn: (of: View) =>
      take(
        api.POST('/api/rigs/{rig}/trims', {
          params: { path: { rig } },
          body: { parent: at.trim, name: 'fan curve', reason: reason(at, of), settings: of.changes },
        }),
      ),
    onSuccess: (made) => go(sheetPath(rig, 'trim', made.id)),
  });
  const p = at.proposed;
  const gain = p ? at.today.meanDB - p.meanDB : 0;
  return (
    <Section title="Quietest" note="within the ceilings">
      {p ? (
        <p className="text-[13px]" data-quieter={gain.toFixed(1)}>
          {gain >= 0.5 ? (
            <>
              <strong className="num text-[17px]">{num(gain, 1)} dB(A) quieter</strong> over a day of use:{' '}
              {num(p.meanDB, 1)} against {num(at.today.meanDB, 1)}.
            </>
          ) : (
            'No curve is quieter by half a decibel or more than the one that is set.'
          )}
        </p>
      ) : (
        <p className="text-[13px] text-caution">{at.none}.</p>
      )}
      {p?.follows && at.today.follows && p.follows.changes < at.today.follows.changes && (
        <p className="text-[13px]">
          Heard to change {p.follows.changes} instead of {count(at.today.follows.changes, 'time')}.
        </p>
      )}
      <Pump at={at} />
      <div className="mt-1.5 flex flex-wrap gap-2">
        {p && (
          <Button reads main={!drawn} onClick={onDraw}>
            Draw it
          </Button>
        )}
        {drawn && (
          <>
            <Button
              main
              disabled={make.isPending || Object.keys(drawn.changes).length === 0}
              onClick={() => make.mutate(drawn)}
            >
              Make a trim
            </Button>
            <Button reads onClick={onBack}>
              Undo
            </Button>
          </>
        )}
      </div>
      <Problem error={make.error} />
    </Section>
  );
}

const reason = (at: Cooling, of: View) => {
  const full = of.loads.find((l) => l.load === 'heavy');
  return `Fan curve: ${num(of.meanDB, 1)} dB(A) over a day of use, ${num(at.today.meanDB, 1)} before; ${full ? `full load is forecast to settle at ${num(full.hottestC, 1)} ± ${num(full.halfC, 1)} °C` : ''}.`;
};

/** Why the pump runs at the speed that is proposed. */
function Pump({ at }: { at: Cooling }) {
  const best = at.pumps.find((p) => p.best);
  if (!best || at.pumps.length < 2) return null;
  const others = at.pumps.filter((p) => !p.best);
  return (
    <p className="mt-1 text-[12.5px] text-soft" data-pump={best.mode}>
      Pump <strong className="text-ink">{best.mode}</strong>, at one speed whatever the load: a loop that slows as it
      cools answers late.{' '}
      {others
        .map((o) =>
          o.meanDB === undefined || o.meanDB === null
            ? `${o.mode}: no curve keeps the ceilings`
            : `${o.mode}: ${num(o.meanDB, 1)} dB(A)`,
        )
        .join('; ')}
      .
    </p>
  );
}

interface CeilingsProps {
  at: Cooling;
  ask: CoolingAsk;
  onAsk: (ask: CoolingAsk) => void;
}

/** How warm each load may settle. */
function Ceilings({ at, ask, onAsk }: CeilingsProps) {
  return (
    <Section title="Ceilings" note="of the hottest core, settled">
      <div className="grid grid-cols-2 gap-x-3 gap-y-1 text-[13px]" data-ceilings="">
        {at.today.loads.map((l) => {
          const key = l.load as 'idle' | 'light' | 'mixed' | 'heavy';
          return (
            <label key={l.load} className="flex items-baseline gap-1.5">
              <span className="flex-1 whitespace-nowrap text-soft">{loadWords[l.load]}</span>
              <input
                className="num w-11 border border-line bg-sheet px-1 text-right"
                type="number"
                min={20}
                max={115}
                value={ask[key] ?? l.ceilingC}
                aria-label={`ceiling ${loadWords[l.load]}`}
                onChange={(e) => onAsk({ ...ask, [key]: Number(e.target.value) || undefined })}
              />
              <span className="text-soft">°C</span>
            </label>
          );
        })}
      </div>
      <label className="mt-1 flex items-baseline gap-1.5 text-[13px]">
        <input
          type="checkbox"
          checked={ask.stands ?? false}
          onChange={(e) => onAsk({ ...ask, stands: e.target.checked || undefined })}
        />
        the fan may stand
      </label>
      {Object.keys(ask).length > 0 && (
        <Button reads className="mt-1" onClick={() => onAsk({})}>
          As usual
        </Button>
      )}
    </Section>
  );
}
