import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import type { Schemas, Setting, Settings, Value } from '../../api/client';
import { signed } from '../../ui/format';
import { NumberField } from './number-field';

interface CurveProps {
  rows: Setting[];
  values: Settings;
  parent: Settings;
  onChange?: (key: string, value: Value) => void;
  wrong: Set<string>;
  /** What is set for each core together, here and in the parent, as the server adds it up. */
  curve?: Schemas['CurveOffset'][];
}

const height = 118;
const top = 6;

const numberOf = (v: Value | undefined) => (typeof v === 'number' ? v : 0);

const gridSteps = (deepest: number) => [0, -10, -20, -30, -40, -50].filter((s) => s >= deepest);

/** The curve offsets as a depth drawing: a keel line over the cores, deeper is less voltage. */
export function CurveDrawing({ rows, values, parent, onChange, wrong, curve = [] }: CurveProps) {
  const all = rows.find((r) => r.key === 'curve.all');
  const cores = rows.filter((r) => r.core >= 0);
  const clusters = rows.filter((r) => r.scope === 'cluster');
  const deepest = Math.min(-30, ...curve.map((c) => c.steps));
  const shallow = Math.max(5, ...curve.map((c) => c.steps));
  const y = scaleLinear([deepest, shallow], [height - top, top]);
  const column = 100 / Math.max(1, cores.length);
  // A flat piece for each core, so that its edges stand upright between two.
  const flat = (of: (c: Schemas['CurveOffset']) => number): [number, number][] =>
    cores.flatMap((c, i) => {
      const at = curve[c.core];
      const depth = y(at ? of(at) : 0);
      return [
        [i * column, depth],
        [(i + 1) * column, depth],
      ];
    });
  const here = flat((c) => c.steps);
  return (
    <div>
      {all && (
        <p className="mb-2 flex items-center gap-2">
          <label htmlFor="curve-all" title={all.meaning}>
            All cores
          </label>
          {onChange ? (
            <NumberField
              setting={all}
              value={numberOf(values['curve.all'])}
              onChange={(x) => onChange('curve.all', x)}
              wrong={wrong.has('curve.all')}
            />
          ) : (
            <span className="num">{signed(numberOf(values['curve.all']))}</span>
          )}
          <span className="text-soft">
            steps · {all.label} on this board · parent{' '}
            <span className="num">{signed(numberOf(parent['curve.all']))}</span>
          </span>
        </p>
      )}
      {clusters.length > 0 && (
        <p className="mb-2 flex flex-wrap items-center gap-x-4 gap-y-1">
          {clusters.map((c) => (
            <span key={c.key} className="flex items-center gap-2" data-key={c.key}>
              <span title={c.meaning}>Cluster {c.index}</span>
              {onChange ? (
                <NumberField
                  setting={c}
                  value={numberOf(values[c.key])}
                  onChange={(x) => onChange(c.key, x)}
                  wrong={wrong.has(c.key)}
                  className="w-[60px]"
                />
              ) : (
                <span className="num">{signed(numberOf(values[c.key]))}</span>
              )}
            </span>
          ))}
          <span className="text-soft">steps more for the cores of a cluster</span>
        </p>
      )}
      <div className="grid grid-cols-[44px_minmax(0,1fr)]">
        <div className="num relative text-right text-[11px] text-soft" style={{ height }}>
          {gridSteps(deepest).map((s) => (
            <span key={s} className="absolute right-2 -translate-y-1/2" style={{ top: y(s) }}>
              {signed(s)}
            </span>
          ))}
        </div>
        <svg
          viewBox={`0 0 100 ${height}`}
          preserveAspectRatio="none"
          className="w-full border border-line"
          style={{ height }}
        >
          <title>Curve offset per core, in steps</title>
          <rect width="100" height={height} fill="var(--buff)" />
          <path d={area().y0(0)(here) ?? undefined} fill="var(--tint-2)" />
          {gridSteps(deepest).map((s) => (
            <line key={s} x1="0" x2="100" y1={y(s)} y2={y(s)} stroke="var(--line)" vectorEffect="non-scaling-stroke" />
          ))}
          <path
            d={line()(flat((c) => c.before)) ?? undefined}
            fill="none"
            stroke="var(--soft)"
            strokeDasharray="3 3"
            vectorEffect="non-scaling-stroke"
          />
          <path
            d={line()(here) ?? undefined}
            fill="none"
            stroke="var(--ink)"
            strokeWidth="2.6"
            vectorEffect="non-scaling-stroke"
          />
        </svg>
        <span className="pt-1 pr-2 text-right text-[12px] text-soft">core</span>
        <div className="grid pt-1" style={{ gridTemplateColumns: `repeat(${cores.length}, 1fr)` }}>
          {cores.map((c) => (
            <span key={c.key} className="text-center text-[12px]">
              <span className="block text-soft">{c.core}</span>
              {onChange ? (
                <NumberField
                  setting={c}
                  value={numberOf(values[c.key])}
                  onChange={(x) => onChange(c.key, x)}
                  wrong={wrong.has(c.key)}
                  className={cores.length > 8 ? 'w-full min-w-0 px-0.5' : 'w-[52px]'}
                />
              ) : (
                <span className="num">{signed(numberOf(values[c.key]))}</span>
              )}
            </span>
          ))}
        </div>
      </div>
      <p className="mt-1 text-[12.5px] text-soft">
        Solid: this trim, the offset for all cores and each core’s own added. Dashed: its parent. Buff: deeper than this
        trim.
      </p>
    </div>
  );
}
