import { scaleLinear } from 'd3-scale';
import { type PointerEvent, useRef } from 'react';
import type { Setting, Settings, Value } from '../../api/client';
import { num } from '../../ui/format';

interface StepsProps {
  /** The ratios by active cores, from one on. */
  rows: Setting[];
  values: Settings;
  parent: Settings;
  /** What "auto" comes to, as the parts have it: ratio by active cores. */
  usual: number[];
  onChange?: (key: string, value: Value) => void;
}

const height = 120;

/** The ratio for each number of active cores as a staircase: each step is dragged, or moved by the arrow keys. */
export function ActiveSteps({ rows, values, parent, usual, onChange }: StepsProps) {
  const box = useRef<HTMLDivElement>(null);
  const ratioOf = (s: Settings, row: Setting) => {
    const v = s[row.key] ?? row.stock;
    return typeof v === 'number' ? v : (usual[row.index - 1] ?? row.min);
  };
  const all = rows.flatMap((r) => [ratioOf(values, r), ratioOf(parent, r)]);
  const low = Math.min(...all) - 3;
  const high = Math.max(...all) + 3;
  const y = scaleLinear([low, high], [height, 0]);
  const drag = (row: Setting) => (e: PointerEvent<HTMLDivElement>) => {
    if (!onChange || !(e.buttons & 1) || !box.current) return;
    const at = box.current.getBoundingClientRect();
    const raw = y.invert(e.clientY - at.top);
    const next = Math.min(row.max, Math.max(row.min, Math.round(raw / row.step) * row.step));
    if (next !== ratioOf(values, row)) onChange(row.key, next);
  };
  return (
    <div className="mt-2" data-active-steps="">
      <p className="mb-1">
        <span className="font-semibold">Ratio by active cores</span>{' '}
        <span className="text-soft">
          {onChange ? 'drag a step, or focus it and use ↑ ↓; Delete gives it back to the processor' : ''}
        </span>
      </p>
      <div ref={box} className="flex border border-line bg-buff" style={{ height }}>
        {rows.map((row) => {
          const ratio = ratioOf(values, row);
          const own = typeof (values[row.key] ?? row.stock) === 'number';
          const set = (x: Value) => onChange?.(row.key, x);
          return (
            <div
              key={row.key}
              role="slider"
              tabIndex={onChange ? 0 : -1}
              aria-label={row.name}
              aria-valuenow={ratio}
              aria-valuemin={row.min}
              aria-valuemax={row.max}
              aria-valuetext={own ? `${ratio}` : `auto, ${ratio}`}
              data-key={row.key}
              onPointerDown={(e) => {
                e.currentTarget.setPointerCapture(e.pointerId);
                drag(row)(e);
              }}
              onPointerMove={drag(row)}
              onKeyDown={(e) => {
                const by = row.step * (e.shiftKey ? 5 : 1);
                if (e.key === 'ArrowUp') set(Math.min(row.max, ratio + by));
                else if (e.key === 'ArrowDown') set(Math.max(row.min, ratio - by));
                else if (e.key === 'Delete' || e.key === 'Backspace') set('auto');
                else return;
                e.preventDefault();
              }}
              className={`relative flex-1 touch-none border-r border-line/60 last:border-r-0 ${onChange ? 'cursor-ns-resize' : ''}`}
            >
              <span className="absolute inset-x-0 bottom-0 bg-tint-2" style={{ top: y(ratio) }} />
              <span
                className="absolute inset-x-0 border-t border-dashed border-soft"
                style={{ top: y(ratioOf(parent, row)) }}
              />
              <span
                className={`absolute inset-x-0 border-t-[2.6px] ${own ? 'border-ink' : 'border-ink/45'}`}
                style={{ top: y(ratio) }}
              />
              <span
                className={`num absolute inset-x-0 text-center text-[12px] ${own ? 'font-semibold' : 'text-soft'}`}
                style={{ top: Math.max(0, y(ratio) - 19) }}
              >
                {num(ratio, ratio % 1 ? 2 : 0)}
              </span>
            </div>
          );
        })}
      </div>
      <div className="flex">
        {rows.map((row) => (
          <span key={row.key} className="num flex-1 text-center text-[11.5px] text-soft">
            {row.index}
          </span>
        ))}
      </div>
      <p className="text-[12.5px] text-soft">
        Active cores. Pale line: the processor’s own. Dashed: the parent. A ratio is × the core reference clock.
      </p>
    </div>
  );
}
