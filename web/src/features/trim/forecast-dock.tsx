import type { Check, Schemas, Settings } from '../../api/client';
import { loadNames, num, signed } from '../../ui/format';
import { Section } from '../../ui/parts';

type State = Schemas['MachineState'];

/** What the trim is expected to do, against its parent. Hatched, since none of it was seen. */
export function ForecastDock({ check }: { check: Check }) {
  const f = check.forecast;
  if (!f)
    return <Section title="Forecast">The board does not take these settings; there is nothing to forecast.</Section>;
  const before = check.parentForecast;
  return (
    <Section title="Forecast" note={`from part sheets, ${num(f.ambientC, 1)} °C room`}>
      <div className="forecast border border-line px-2 py-1" data-forecast="">
        {f.loads.map((s) => (
          <LoadRow key={s.load} state={s} before={before?.loads.find((b) => b.load === s.load)} />
        ))}
        <div className="row-rule mt-1 border-t border-line pt-1">
          <Points label="All-core" now={f.allCore} before={before?.allCore} />
          <Points label="Single-core" now={f.singleCore} before={before?.singleCore} />
        </div>
      </div>
    </Section>
  );
}

function LoadRow({ state, before }: { state: State; before?: State }) {
  const idle = state.load === 'idle';
  return (
    <div className="border-t border-dotted border-line py-1 first:border-t-0">
      <p className="flex justify-between">
        <span className="font-semibold">{loadNames[state.load]}</span>
        <span className="text-soft">{idle ? '' : `held by ${state.limiter}`}</span>
      </p>
      <p className="num grid grid-cols-[1.3fr_1.15fr_1fr_0.9fr] text-right text-[12px]">
        <Cell x={state.meanMHz} before={before?.meanMHz} unit="MHz" hide={idle} />
        <Cell x={state.deliveredV} before={before?.deliveredV} unit="V" decimals={3} />
        <Cell x={state.packageW} before={before?.packageW} unit="W" />
        <Cell x={state.hottestC} before={before?.hottestC} unit="°C" />
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
  before,
  unit,
  decimals = 0,
  hide,
}: {
  x: number;
  before?: number;
  unit: string;
  decimals?: number;
  hide?: boolean;
}) {
  if (hide) return <span />;
  const change = before === undefined ? 0 : x - before;
  const shown = Math.abs(change) >= 0.5 * 10 ** -decimals;
  return (
    <span className="leading-tight whitespace-nowrap">
      {num(x, decimals)} <span className="text-soft">{unit}</span>
      <span className="block min-h-[1.2em] text-[11.5px]">
        {shown ? (decimals === 3 ? `${signed(change * 1000)} mV` : signed(change, decimals)) : ''}
      </span>
    </span>
  );
}

function Points({ label, now, before }: { label: string; now: number; before?: number }) {
  const percent = before ? (100 * (now - before)) / before : 0;
  return (
    <p className="flex justify-between py-0.5">
      <span>{label}</span>
      <span className="num">
        {num(now)} pt {Math.abs(percent) >= 0.05 && <span className="text-soft">{signed(percent, 1)} %</span>}
      </span>
    </p>
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
  return (
    <Section title="Preflight">
      <ul className="row-rule" data-preflight="">
        {findings.map((f) => (
          <li key={f.rule + f.fields.join()} className="py-1.5" data-rule={f.rule}>
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
        ))}
      </ul>
    </Section>
  );
}
