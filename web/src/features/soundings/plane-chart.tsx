import { contours } from 'd3-contour';
import { scaleLinear } from 'd3-scale';
import { type KeyboardEvent, type PointerEvent, useRef } from 'react';
import type { Schemas } from '../../api/client';
import { num } from '../../ui/format';
import { clear, held, setting, tints } from './depth';

type Soundings = Schemas['Soundings'];
type Plane = Schemas['ClockPlane'];
type Tried = Schemas['TriedAt'];

interface PlaneChartProps {
  at: Soundings;
  plane: Plane;
  /** What the trim is called whose settings stay. */
  name: string;
  depth: number;
  onDepth: (depth: number) => void;
  /** The depth that is tried next. */
  next?: number;
}

const width = 800;
const height = 506;
const box = { left: 54, right: 10, top: 30, bottom: 26 };

/** The clock of all cores to the right, their voltage upwards: what held, what failed, watts, degrees, and the chance of a fault. */
export function PlaneChart({ at, plane, name, depth, onDepth, next }: PlaneChartProps) {
  const drawing = useRef<SVGSVGElement>(null);
  const { clocks, volts } = plane;
  const beside = 45;
  const x = scaleLinear([(clocks[0] ?? 0) - beside, (clocks.at(-1) ?? 1) + beside], [box.left, width - box.right]);
  const y = scaleLinear([volts[0] ?? 0, volts.at(-1) ?? 1], [height - box.bottom, box.top]);
  const deliveredAt = alongClocks(plane);
  const v = (d: number) => at.zero + d * at.per;
  const found = at.cores[0]?.found ?? 0;
  const along = (d: number) =>
    [x.domain()[0] ?? 0, ...clocks, x.domain()[1] ?? 0]
      .map((c, i) => `${i ? 'L' : 'M'}${x(c)} ${y(deliveredAt(c) + d * at.per)}`)
      .join('');
  const most = Math.max(at.shallowest, at.cores[0]?.own ?? 0);
  const move = (d: number) => onDepth(Math.min(most, Math.max(at.deepest, d)));
  const drag = (e: PointerEvent<SVGCircleElement>) => {
    const rect = drawing.current?.getBoundingClientRect();
    if (!rect || !e.currentTarget.hasPointerCapture(e.pointerId)) return;
    move(Math.round((y.invert(((e.clientY - rect.top) / rect.height) * height) - at.zero) / at.per));
  };
  const key = (e: KeyboardEvent) => {
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
    if (!by) return;
    e.preventDefault();
    move(depth + by * (e.shiftKey ? 5 : 1));
  };
  return (
    <svg ref={drawing} viewBox={`0 0 ${width} ${height}`} className="w-full touch-none select-none" data-chart="plane">
      <title>
        Clock of all cores and fixed voltage: what held, what failed, watts, degrees, and the chance of a fault a day
      </title>
      <clipPath id="plane">
        <rect x={box.left} y={box.top} width={width - box.left - box.right} height={height - box.top - box.bottom} />
      </clipPath>
      <rect
        x={box.left}
        y={box.top}
        width={width - box.left - box.right}
        height={height - box.top - box.bottom}
        fill="var(--buff)"
      />
      <g clipPath="url(#plane)">
        {bandsOf(at, plane).map((b) => (
          <path
            key={b.from}
            d={`${along(b.to)}L${along(b.from).slice(1).split('L').reverse().join('L')}Z`}
            fill={b.fill}
          />
        ))}
        <Lines plane={plane} of={plane.degrees} unit="°C" x={x} y={y} dash="1 3" end />
        <Lines plane={plane} of={plane.watts} unit="W" x={x} y={y} />
        <path d={along(0)} fill="none" stroke="var(--ink)" strokeWidth="0.8" />
        <path d={along(found)} fill="none" stroke="var(--ink)" strokeWidth="1.3" strokeDasharray="6 4" />
        {plane.mostV <= (y.domain()[1] ?? 0) && (
          <line
            x1={box.left}
            x2={width}
            y1={y(plane.mostV)}
            y2={y(plane.mostV)}
            stroke="var(--caution)"
            strokeWidth="1.2"
          />
        )}
      </g>
      <text x={box.left} y={16} fontSize="12.5" fill="var(--ink)">
        Fixed voltage against the clock of all cores
      </text>
      <Scales x={x} y={y} plane={plane} />
      <text
        x={width - box.right - 4}
        y={y(deliveredAt(clocks.at(-1) ?? 0)) - 16}
        textAnchor="end"
        fontSize="11"
        fill="var(--soft)"
        {...clear}
      >
        as delivered
      </text>
      {together(plane.tried).map((t, _, all) => (
        <Mark
          key={`${t.mhz} ${t.volts} ${t.failed}`}
          tried={t}
          x={x(t.mhz)}
          y={y(t.volts)}
          beside={all.some((o) => o !== t && o.mhz === t.mhz && o.volts === t.volts)}
        />
      ))}
      {next !== undefined && (
        <circle
          cx={x(plane.mhz)}
          cy={y(v(next))}
          r="9"
          fill="none"
          stroke="var(--caution)"
          strokeWidth="1.6"
          strokeDasharray="1 4"
        />
      )}
      <path
        d={`M${x(plane.mhz) - 36} ${y(v(depth))}h20M${x(plane.mhz) + 16} ${y(v(depth))}h20`}
        stroke="var(--ink)"
        strokeWidth="3"
      />
      <text x={x(plane.mhz) + 42} y={y(v(depth)) + 4} fontSize="12" fontWeight="650" fill="var(--ink)" {...clear}>
        {name}
      </text>
      <circle
        role="slider"
        aria-label="fixed voltage"
        aria-valuenow={depth}
        aria-valuemin={at.deepest}
        aria-valuemax={most}
        aria-orientation="vertical"
        tabIndex={0}
        cx={x(plane.mhz)}
        cy={y(v(depth))}
        r="16"
        fill="transparent"
        className="cursor-ns-resize"
        onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
        onPointerMove={drag}
        onKeyDown={key}
      >
        <title>{`${setting(at, depth)} V; drag it`}</title>
      </circle>
    </svg>
  );
}

/** The voltage as delivered at any clock, straight between those that are known and beyond. */
function alongClocks(plane: Plane) {
  return scaleLinear(plane.clocks, plane.delivered);
}

interface Band {
  from: number;
  to: number;
  fill: string;
}

/** Where the chance of a fault lies within a tint, as depths below what is delivered. */
function bandsOf(at: Soundings, plane: Plane): Band[] {
  const out: Band[] = [];
  plane.chances.forEach((chance, i) => {
    const fill = tints.find((t) => chance >= t.from)?.fill ?? 'none';
    const d = at.deepest + i;
    const last = out.at(-1);
    const to = i === plane.chances.length - 1 ? d + 60 : d + 0.5;
    if (last?.fill === fill) last.to = to;
    else out.push({ from: i === 0 ? d - 60 : d - 0.5, to, fill });
  });
  return out;
}

interface LinesProps {
  plane: Plane;
  of: (number | null)[][];
  unit: string;
  x: (mhz: number) => number;
  y: (volts: number) => number;
  dash?: string;
  /** Whether its figures stand at the right end of the lines. */
  end?: boolean;
}

/** Lines along which the machine draws as much, or grows as hot. */
function Lines({ plane, of, unit, x, y, dash, end }: LinesProps) {
  const [rows, columns] = [plane.volts.length, plane.clocks.length];
  const all = of.flat().map((one) => one ?? Number.NaN);
  const known = all.filter((one) => !Number.isNaN(one));
  if (known.length < all.length / 2) return null;
  const each = unit === 'W' ? 20 : 5;
  const thresholds: number[] = [];
  for (let t = Math.ceil(Math.min(...known) / each) * each; t <= Math.max(...known); t += each) thresholds.push(t);
  const across = scaleLinear([0.5, columns - 0.5], [plane.clocks[0] ?? 0, plane.clocks.at(-1) ?? 0]);
  const up = scaleLinear([0.5, rows - 0.5], [plane.volts[0] ?? 0, plane.volts.at(-1) ?? 0]);
  return contours()
    .size([columns, rows])
    .thresholds(thresholds)(all.map((one) => (Number.isNaN(one) ? Math.max(...known) : one)))
    .map((line) => {
      const points = line.coordinates
        .flat(2)
        .filter(([a = 0, b = 0]) => a > 0.4 && a < columns - 0.4 && b > 0.4 && b < rows - 0.4)
        .map(([a = 0, b = 0]) => [x(across(a)), y(up(b))] as const)
        .sort((p, q) => p[0] - q[0]);
      const at = points.at(end ? -1 : 0);
      if (!at || points.length < 2) return null;
      return (
        <g key={line.value} data-contour={unit}>
          <path
            d={`M${points.map((p) => p.join(' ')).join('L')}`}
            fill="none"
            stroke="var(--soft)"
            strokeWidth="1"
            strokeDasharray={dash}
          />
          <text
            x={at[0] + (end ? -4 : 4)}
            y={at[1] - 3}
            textAnchor={end ? 'end' : 'start'}
            fontSize="10.5"
            className="num"
            fill="var(--soft)"
            {...clear}
          >
            {num(line.value)} {unit}
          </text>
        </g>
      );
    });
}

function Scales({ x, y, plane }: { x: (mhz: number) => number; y: (volts: number) => number; plane: Plane }) {
  const [low, high] = [plane.volts[0] ?? 0, plane.volts.at(-1) ?? 0];
  const ticks: number[] = [];
  for (let t = Math.ceil(low / 0.05); t * 0.05 <= high; t++) ticks.push(t * 0.05);
  return (
    <g fontSize="11" className="num" fill="var(--soft)">
      {ticks.map((t) => (
        <text key={t} x={box.left - 6} y={y(t) + 4} textAnchor="end">
          {num(t, 2)} V
        </text>
      ))}
      {plane.clocks.map((c) => (
        <text
          key={c}
          x={x(c)}
          y={height - 8}
          textAnchor="middle"
          fontWeight={c === plane.mhz ? 650 : 400}
          fill={c === plane.mhz ? 'var(--ink)' : undefined}
        >
          {num(c / 1000, 2)} GHz
        </text>
      ))}
      {plane.mostV <= high && (
        <text x={box.left + 6} y={y(plane.mostV) - 4} fill="var(--caution)" {...clear}>
          the sheet ends at {num(plane.mostV, 2)} V
        </text>
      )}
    </g>
  );
}

interface Shown {
  mhz: number;
  volts: number;
  failed: boolean;
  minutes: number;
  times: number;
}

/** What was tried at one place, all trials together. */
function together(tried: Tried[]): Shown[] {
  const out: Shown[] = [];
  for (const t of tried) {
    const failed = t.verdict !== 'held';
    const same = out.find((o) => o.mhz === t.mhz && o.volts === t.volts && o.failed === failed);
    if (same) {
      same.minutes += t.minutes;
      same.times++;
    } else out.push({ mhz: t.mhz, volts: t.volts, failed, minutes: t.minutes, times: 1 });
  }
  return out;
}

/** Minutes where it held, a cross where it failed, as elsewhere on this sheet; side by side where both came. */
function Mark({ tried, x, y, beside }: { tried: Shown; x: number; y: number; beside: boolean }) {
  const words = tried.failed ? `failed ${tried.times}×` : `held ${num(tried.minutes)} min`;
  const title = <title>{`${num(tried.mhz / 1000, 2)} GHz at ${num(tried.volts, 3)} V ${words}`}</title>;
  if (tried.failed) {
    return (
      <g
        transform={`translate(${beside ? x - 9 : x},${y})`}
        stroke="var(--caution)"
        strokeWidth="1.5"
        data-point="failed"
      >
        {title}
        <line x1={-3.6} x2={3.6} y1="0" y2="0" />
        <line x1="0" x2="0" y1={-3.6} y2={3.6} />
      </g>
    );
  }
  return (
    <text
      x={beside ? x + 9 : x}
      y={y + 3.6}
      textAnchor="middle"
      fontSize="10.5"
      className="num"
      fill="var(--ink)"
      data-point="held"
      {...clear}
    >
      {title}
      {held(tried.minutes)}
    </text>
  );
}
