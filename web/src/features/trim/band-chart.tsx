import type { Drawings, Setting, Settings, Value } from '../../api/client';
import { num, signed } from '../../ui/format';
import { NumberField } from './number-field';

interface BandProps {
  rows: Setting[];
  values: Settings;
  onChange?: (key: string, value: Value) => void;
  wrong: Set<string>;
  bands: NonNullable<Drawings['bands']>;
}

const tints = ['var(--buff)', 'var(--tint-1)', 'var(--tint-2)', 'var(--tint-3)', 'var(--tint-4)'];

/** Deeper offsets have darker water; above zero the ground shows. */
function tint(steps: number): string {
  if (steps > 0) return 'var(--buff)';
  return tints[Math.min(4, Math.ceil(-steps / 8))] ?? 'var(--tint-4)';
}

/** Curve bands as a small chart of clock against temperature; between the bands the board blends. */
export function BandChart({ rows, values, onChange, wrong, bands }: BandProps) {
  const ends = [
    { end: 'hot', label: `hot, from ${num(bands.hotC)} °C` },
    { end: 'cold', label: `cold, to ${num(bands.coldC)} °C` },
  ];
  const at = (band: number, end: string) => rows.find((r) => r.key === `curve.band.${band + 1}.${end}`);
  return (
    <div className="mt-3" data-bands="">
      <p className="mb-1">
        <span className="font-semibold">Bands</span>{' '}
        <span className="text-soft">steps more around a clock, cold and hot; in between it runs straight</span>
      </p>
      <div
        className="grid max-w-[44rem] gap-px border border-line bg-line"
        style={{ gridTemplateColumns: `104px repeat(${bands.mhz.length}, minmax(0, 1fr))` }}
      >
        {ends.map(({ end, label }) => (
          <div key={end} className="contents">
            <span className="bg-paper px-2 py-1 text-[12.5px] text-soft">{label}</span>
            {bands.mhz.map((mhz, i) => {
              const row = at(i, end);
              const v = row ? (values[row.key] ?? row.stock) : 0;
              const steps = typeof v === 'number' ? v : 0;
              return (
                <span
                  key={mhz}
                  className="flex items-center justify-center py-1"
                  style={{ background: steps === 0 ? 'var(--sheet)' : tint(steps) }}
                >
                  {row && onChange ? (
                    <NumberField
                      setting={row}
                      value={v}
                      onChange={(x) => onChange(row.key, x)}
                      wrong={wrong.has(row.key)}
                      className="w-[58px]"
                    />
                  ) : (
                    <span className="num">{signed(steps)}</span>
                  )}
                </span>
              );
            })}
          </div>
        ))}
        <span className="bg-paper px-2 py-0.5 text-[12.5px] text-soft">around</span>
        {bands.mhz.map((mhz) => (
          <span key={mhz} className="num bg-paper text-center text-[12px] text-soft">
            {num(mhz)} MHz
          </span>
        ))}
      </div>
    </div>
  );
}
