import { scaleLinear } from 'd3-scale';
import { useEffect, useRef } from 'react';
import uPlot from 'uplot';
import type { Trial } from '../../api/client';
import type { View } from '../../api/queries';
import { span } from '../../ui/format';
import { colour, useChart } from '../../ui/theme';

/** Room at the left of every strip for its scale, in CSS pixels; ribbons line up with it. */
export const gutter = 52;

export interface Line {
  label: string;
  values: (number | null)[];
  look: 'main' | 'thin' | 'dashed' | 'under';
}

interface StripProps {
  title: string;
  unit: string;
  decimals?: number;
  times: number[];
  lines: Line[];
  /** A limit drawn across. */
  limit?: { label: string; at: number };
  /** Whose legs and events are drawn in; none of an overlay of several. */
  trial?: Trial;
  width: number;
  height: number;
  view: View;
  onView: (view?: View) => void;
}

/** One strip chart of a trial; the strips of a sheet share one time axis and one cursor. */
export function Strip(props: StripProps) {
  const host = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const chart = useChart();
  const { times, lines, width, height, view, trial, limit, unit, decimals = 0 } = props;
  const state = useRef({ trial, limit, view, onView: props.onView });
  state.current = { trial, limit, view, onView: props.onView };
  const shape = `${lines.map((l) => l.label + l.look).join()} ${chart} ${limit?.at}`;

  // biome-ignore lint/correctness/useExhaustiveDependencies: the plot is made anew only when its shape changes; data follow below
  useEffect(() => {
    if (!host.current) return;
    const font = '11px "Spline Sans Mono Variable"';
    const axis = { stroke: colour('soft'), font, ticks: { show: false } };
    const at = limit?.at;
    const u = new uPlot(
      {
        width,
        height,
        padding: [5, 4, 6, 0],
        legend: { show: false },
        cursor: { sync: { key: 'trial' }, y: false, points: { size: 5 }, drag: { x: true, y: false, setScale: false } },
        scales: {
          x: { time: false, range: () => [state.current.view.from, state.current.view.to] },
          y: { range: (_, low, high) => frame(low, high, at) },
        },
        axes: [
          { ...axis, show: false },
          {
            ...axis,
            size: gutter,
            gap: 4,
            space: 26,
            grid: { stroke: colour('line'), width: 0.5 },
            values: (_, ticks) => onceEach(ticks.map((t) => t.toFixed(decimals))),
          },
        ],
        series: [
          {},
          ...lines.map((l) => ({
            label: l.label,
            stroke: l.look === 'main' ? colour('ink') : l.look === 'under' ? colour('tint-4') : colour('soft'),
            width: l.look === 'main' ? 1.5 : l.look === 'under' ? 2.5 : 1,
            dash: l.look === 'dashed' ? [4, 3] : undefined,
            points: { show: false },
            spanGaps: false,
          })),
        ],
        hooks: {
          drawClear: [ground],
          setSelect: [
            (u) => {
              if (u.select.width < 4) return;
              const from = u.posToVal(u.select.left, 'x');
              const to = u.posToVal(u.select.left + u.select.width, 'x');
              u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
              if (u.cursor.event) state.current.onView({ from, to });
            },
          ],
          draw: [(u) => marks(u, state.current.limit, state.current.trial)],
        },
      },
      [times, ...lines.map((l) => l.values)],
      host.current,
    );
    plot.current = u;
    return () => {
      plot.current = null;
      u.destroy();
    };
  }, [shape]);

  useEffect(() => {
    plot.current?.setData([times, ...lines.map((l) => l.values)]);
  }, [times, lines]);
  useEffect(() => {
    plot.current?.setSize({ width, height });
  }, [width, height]);

  const last = lines.map((l) => ({ label: l.label, value: l.values.findLast((v) => v !== null) }));
  return (
    <section>
      <p className="flex items-baseline justify-between text-[13px] leading-tight" style={{ paddingLeft: gutter }}>
        <span>
          <span className="font-semibold">{props.title}</span> <span className="text-soft">{unit}</span>{' '}
          <span className="text-soft">
            {lines.map((l) => `${l.look === 'dashed' ? '┄' : l.look === 'thin' ? '─' : '━'} ${l.label}`).join('  ')}
          </span>
        </span>
        <span className="num text-soft">
          {limit && `┄ ${limit.label}  `}
          {trial &&
            last[0]?.value != null &&
            `${trial.ended ? 'last' : 'now'} ${last[0].value.toFixed(decimals)} ${unit}`}
        </span>
      </p>
      <div ref={host} />
    </section>
  );
}

/** The range shown: the data with some room, the limit included when it is near. */
function frame(low: number, high: number, limit?: number): [number, number] {
  if (low == null || high == null) return [0, 1];
  let top = high;
  if (limit !== undefined && limit < high + (high - low) * 1.5) top = Math.max(high, limit);
  const room = Math.max((top - low) * 0.08, Math.abs(top) * 0.004, 0.002);
  return [low - room, top + room];
}

/** Labels of an axis, of which none repeats the one before. */
function onceEach(labels: string[]): string[] {
  return labels.map((label, i) => (label === labels[i - 1] ? '' : label));
}

/** Lays the ground of the plot, leaving the scale on the sheet's own. */
function ground(u: uPlot) {
  const { left, top, width, height } = u.bbox;
  u.ctx.fillStyle = colour('sheet');
  u.ctx.fillRect(left, top, width, height);
}

/** Draws the limit, the bounds of the legs, and the events. */
function marks(u: uPlot, limit?: { at: number }, trial?: Trial) {
  const { ctx } = u;
  const { left, top, width, height } = u.bbox;
  ctx.save();
  ctx.strokeStyle = colour('line');
  ctx.lineWidth = 1;
  ctx.setLineDash([]);
  ctx.strokeRect(left, top, width, height);
  const vertical = (s: number, stroke: string, dash: number[]) => {
    const x = Math.round(u.valToPos(s, 'x', true));
    ctx.beginPath();
    ctx.strokeStyle = stroke;
    ctx.setLineDash(dash);
    ctx.moveTo(x, top);
    ctx.lineTo(x, top + height);
    ctx.stroke();
  };
  for (const leg of trial?.legs ?? []) if (leg.startS) vertical(leg.startS, colour('soft'), [2, 3]);
  ctx.lineWidth = 1.4;
  for (const e of trial?.events ?? [])
    vertical(e.atS, e.kind === 'mark' || e.kind === 'corrected' ? colour('soft') : colour('caution'), []);
  if (limit) {
    const y = Math.round(u.valToPos(limit.at, 'y', true));
    if (y > top && y < top + height) {
      ctx.beginPath();
      ctx.strokeStyle = colour('caution');
      ctx.lineWidth = 1;
      ctx.setLineDash([5, 4]);
      ctx.moveTo(left, y);
      ctx.lineTo(left + width, y);
      ctx.stroke();
    }
  }
  ctx.restore();
}

/** The shared time axis, as the graduated border of a chart. */
export function TimeRuler({ view, width }: { view: View; width: number }) {
  const inner = width - gutter - 4;
  const long = view.to - view.from;
  // Steps of a clock, which are not those of a number's decades.
  const steps = [1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600, 7200, 14400];
  const step = steps.find((s) => (inner * s) / long > 62) ?? 28800;
  const x = scaleLinear([view.from, view.to], [0, 100]);
  const first = Math.ceil(view.from / step);
  const ticks = Array.from({ length: Math.floor(view.to / step) - first + 1 }, (_, i) => (first + i) * step);
  return (
    <div style={{ marginLeft: gutter, width: inner }}>
      <div className="neatline" style={{ ['--grade' as string]: `${(inner * step) / long / 2}px` }} />
      <div className="num relative h-4 text-[11px] text-soft">
        {ticks.map((t) => (
          <span
            key={t}
            className={`absolute whitespace-nowrap ${t === view.from ? '' : t > view.to - 0.05 * long ? '-translate-x-full' : '-translate-x-1/2'}`}
            style={{ left: `${x(t)}%` }}
          >
            {span(t)}
          </span>
        ))}
      </div>
    </div>
  );
}
