import { useQuery } from '@tanstack/react-query';
import type { Check, Schemas, Settings } from '../../api/client';
import { yardsticksQuery } from '../../api/queries';
import { Section } from '../../ui/elements';
import { decimalsOf, loadNames, num, signed, yardstickWord } from '../../ui/format';

type State = Schemas['MachineState'];

/** What the trim is expected to do, against its parent. Hatched, since none of it was seen. */
export function ForecastDock({ check }: { check: Check }) {
  const f = check.forecast;
  if (!f)
    return (
      <Section title="Forecast">
        <p className="text-soft" data-no-forecast="">
          None: {check.noForecast}.
        </p>
      </Section>
    );
  const before = check.parentForecast;
  return (
    <Section
      title="Forecast"
      note={`${f.records > 0 ? `from ${f.records} legs` : 'from part sheets'}, ${num(f.ambientC, 1)} °C room`}
    >
      <div className="forecast border border-line px-2 py-1" data-forecast="">
        {f.loads.map((s) => (
          <LoadRow
            key={s.load}
            state={s}
            spread={f.spreads[f.loads.indexOf(s)]}
            before={before?.loads.find((b) => b.load === s.load)}
          />
        ))}
        <p className="mt-1 text-[12px] text-soft">± holds nine times of ten.</p>
        {f.scores && <ScoreRows scores={f.scores} before={before?.scores ?? []} />}
      </div>
    </Section>
  );
}

type Half = Schemas['Forecast']['spreads'][number];

function LoadRow({ state, spread, before }: { state: State; spread?: Half; before?: State }) {
  const idle = state.load === 'idle';
  return (
    <div className="border-t border-dotted border-line py-1 first:border-t-0">
      <p className="flex justify-between">
        <span className="font-semibold">{loadNames[state.load]}</span>
        <span className="text-soft">{idle ? '' : `held by ${state.limiter}`}</span>
      </p>
      <p className="num grid grid-cols-[1.3fr_1.15fr_1fr_0.9fr] text-right text-[12px]">
        <Cell x={state.meanMHz} half={spread?.mhz} before={before?.meanMHz} unit="MHz" hide={idle} />
        <Cell x={state.deliveredV} half={spread?.volts} before={before?.deliveredV} unit="V" decimals={3} />
        <Cell x={state.packageW} half={spread?.packageW} before={before?.packageW} unit="W" />
        <Cell x={state.hottestC} half={spread?.hottestC} before={before?.hottestC} unit="°C" />
      </p>
      {state.load === 'heavy' && (
        <p className="text-[12.5px] text-soft">
          dips to <span className="num">{num(state.dipV, 3)}</span>, overshoots to{' '}
          <span className="num">{num(state.overshootV, 3)}</span> V · fan{' '}
          <span className="num">{num(state.fanRPM)}</span> rpm <span className="num">{num(state.noiseDB)}</span> dB(A)
        </p>
      )}
    </div>
  );
}

function Cell({
  x,
  half,
  before,
  unit,
  decimals = 0,
  hide,
}: {
  x: number;
  /** Half of the 90 % interval. */
  half?: number;
  before?: number;
  unit: string;
  decimals?: number;
  hide?: boolean;
}) {
  if (hide) return <span />;
  const change = before === undefined ? 0 : x - before;
  const shown = Math.abs(change) >= 0.5 * 10 ** -decimals;
  return (
    <span
      className="leading-tight whitespace-nowrap"
      title={half === undefined ? undefined : `± ${num(half, decimals || 1)} ${unit}, nine times of ten`}
    >
      {num(x, decimals)} <span className="text-soft">{unit}</span>
      <span className="block min-h-[1.2em] text-[11.5px]">
        {shown ? (decimals === 3 ? `${signed(change * 1000)} mV` : signed(change, decimals)) : ''}
      </span>
      {half !== undefined && (
        <span className="block text-[11px] text-soft">
          ± {decimals === 3 ? `${num(half * 1000)} mV` : num(half, half < 2 ? 1 : 0)}
        </span>
      )}
    </span>
  );
}

type Scores = NonNullable<Schemas['Forecast']['scores']>;

/** What the yardsticks are expected to say, with what that differs by from the parent. */
function ScoreRows({ scores, before }: { scores: Scores; before: Scores }) {
  const yardsticks = useQuery(yardsticksQuery).data;
  if (scores.length === 0) {
    return (
      <p className="mt-1 border-t border-line pt-1 text-[12.5px] text-soft">
        No score is forecast: none was run here, and the sheets were measured without.
      </p>
    );
  }
  return (
    <table className="mt-1 w-full border-t border-line text-[12.5px]" data-scores="">
      <tbody>
        {scores.map((s) => {
          const of = yardsticks?.find((y) => y.id === s.yardstick);
          const was = before.find((b) => b.yardstick === s.yardstick)?.value;
          const percent = was ? (100 * (s.value - was)) / was : 0;
          const decimals = decimalsOf(of?.unit ?? '');
          return (
            <tr
              key={s.yardstick}
              title={
                s.trims > 0
                  ? `scaled to scores of ${s.trims} trims of this rig`
                  : 'from part sheets: never measured here'
              }
            >
              <td>{of ? yardstickWord(of.name) : s.yardstick}</td>
              <td className="num pl-2 text-right whitespace-nowrap text-soft">
                {Math.abs(percent) >= 0.05 && `${signed(percent, 1)} %`}
              </td>
              <td className="num pl-2 text-right whitespace-nowrap">
                {num(s.value, decimals)}{' '}
                <span className="text-soft">
                  {of?.unit} ± {num(s.half, decimals)}
                </span>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** What was forecast when the trim was made, and what was then measured. */
export function OutcomeDock({ outcome }: { outcome: Schemas['Outcome'] }) {
  const f = outcome.forecast;
  return (
    <Section title="Forecast and measured">
      <div className="border border-line px-2 py-1" data-outcome="">
        {outcome.measured.map((m) => {
          const i = f ? f.loads.findIndex((l) => l.load === m.load) : -1;
          const was = i >= 0 ? f?.loads[i] : undefined;
          const half = i >= 0 ? f?.spreads?.[i] : undefined;
          const rows: [number | null, number | undefined, number | undefined, string, number][] = [
            [m.load === 'idle' ? null : m.meanMHz, was?.meanMHz, half?.mhz, 'MHz', 0],
            [m.deliveredV, was?.deliveredV, half?.volts, 'V', 3],
            [m.packageW, was?.packageW, half?.packageW, 'W', 0],
            [m.hottestC, was?.hottestC, half?.hottestC, '°C', 0],
          ];
          return (
            <div key={m.load} className="border-t border-dotted border-line py-1 first:border-t-0">
              <p className="flex justify-between">
                <span className="font-semibold">{loadNames[m.load]}</span>
                <span className="text-soft">
                  {m.legs} {m.legs === 1 ? 'leg' : 'legs'}
                </span>
              </p>
              <p className="num grid grid-cols-[1.3fr_1.15fr_1fr_0.9fr] text-right text-[12px]">
                {rows.map(([x, forecast, by, unit, decimals]) => (
                  <span key={unit} className="leading-tight whitespace-nowrap">
                    {x == null ? '' : `${num(x, decimals)} ${unit}`}
                    {x != null && forecast !== undefined && (
                      <span
                        className={`forecast block text-[11.5px] ${by && Math.abs(x - forecast) > by ? 'text-caution' : 'text-soft'}`}
                        title={by ? `forecast ± ${num(by, decimals || 1)} ${unit}` : 'forecast'}
                      >
                        {num(forecast, decimals)}
                      </span>
                    )}
                  </span>
                ))}
              </p>
            </div>
          );
        })}
        <p className="mt-1 text-[12.5px] text-soft">
          Above: measured. Hatched: forecast when the trim was made, in the room as it then was.
        </p>
      </div>
    </Section>
  );
}

const words = { stop: 'Stop', caution: 'Caution', note: 'Note' };
const marks = { stop: '✕', caution: '△', note: '·' };

/** The checks before fitting, the serious ones first, each with its remedy and where possible a mend by one click. */
export function PreflightDock({ findings, onFix }: { findings: Check['findings']; onFix?: (fix: Settings) => void }) {
  if (findings.length === 0) {
    return (
      <Section title="Preflight">
        <p className="text-held">● clean</p>
      </Section>
    );
  }
  const before = findings.filter((f) => f.before);
  return (
    <Section title="Preflight">
      <ul className="row-rule" data-preflight="">
        {findings
          .filter((f) => !f.before)
          .map((f) => (
            <FindingLine key={f.rule + f.fields.join()} finding={f} onFix={onFix} />
          ))}
      </ul>
      {before.length > 0 && (
        <details className="mt-1 text-soft">
          <summary className="cursor-pointer text-[13px]">{before.length} as under the parent</summary>
          <ul className="row-rule">
            {before.map((f) => (
              <FindingLine key={f.rule + f.fields.join()} finding={f} onFix={onFix} />
            ))}
          </ul>
        </details>
      )}
    </Section>
  );
}

function FindingLine({ finding: f, onFix }: { finding: Check['findings'][number]; onFix?: (fix: Settings) => void }) {
  return (
    <li className="py-1.5" data-rule={f.rule}>
      <p className={f.level === 'note' ? '' : 'text-caution'}>
        <span aria-hidden="true">{marks[f.level]} </span>
        <span className="font-semibold">{words[f.level]}.</span> {f.reason}
      </p>
      <p className="text-soft">
        {f.remedy}{' '}
        {f.fix && onFix && (
          <button type="button" className="text-ink underline" onClick={() => onFix(f.fix ?? {})}>
            Mend it
          </button>
        )}
      </p>
    </li>
  );
}
