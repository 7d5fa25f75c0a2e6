import { scaleLinear } from 'd3-scale';
import { type KeyboardEvent, type PointerEvent, useRef } from 'react';
import type { Schemas } from '../../api/client';
import { num } from '../../ui/format';
import { loadWords, type Point } from './curve';

type Cooling = Schemas['Cooling'];
type View = Schemas['CurveView'];

interface CurveChartProps {
  at: Cooling;
  /** The curve that is drawn, and what comes of it. */
  curve: Point[];
  view: View;
  onCurve: (curve: Point[]) => void;
  /** Whether the drawn one is the trim's own. */
  own: boolean;
}

const width = 800;
const height = 400;
const box = { left: 46, right: 76, top: 14, bottom: 34 };
const seenHeight = 84;

/** What a load's time is tinted with, from rest to full load. */
const tints: Record<string, string> = {
  idle: 'var(--tint-1)',
  light: 'var(--tint-2)',
  mixed: 'var(--tint-3)',
  heavy: 'var(--tint-4)',
};

/** Temperature to the right, duty upwards: the curve over the time that each temperature was seen, and where each load settles. */
export function CurveChart({ at, curve, view, onCurve, own }: CurveChartProps) {
  const svg = useRef<SVGSVGElement>(null);
  const warmest = Math.min(at.cMax, Math.max(at.fullC, curve.at(-1)?.c ?? 0) + 8);
  const x = scaleLinear([20, warmest], [box.left, width - box.right]).clamp(true);
  const y = scaleLinear([0, 100], [height - box.bottom, box.top]);
  const place = (e: PointerEvent): Point => {
    const rect = svg.current?.getBoundingClientRect();
    if (!rect) return { c: 0, duty: 0 };
    return {
      c: x.invert(((e.clientX - rect.left) / rect.width) * width),
      duty: y.invert(((e.clientY - rect.top) / rect.height) * height),
    };
  };
  const move = (i: number, to: Point) => {
    const onGrid = (v: number, min: number, max: number, step: number) =>
      Math.min(max, Math.max(min, min + Math.round((v - min) / step) * step));
    const before = curve[i - 1];
    const after = curve[i + 1];
    const c = onGrid(to.c, before ? before.c + at.cStep : at.cMin, after ? after.c - at.cStep : at.cMax, at.cStep);
    const duty = onGrid(to.duty, before?.duty ?? at.dutyMin, after?.duty ?? at.dutyMax, at.dutyStep);
    onCurve(curve.map((p, k) => (k === i ? { c, duty } : p)));
  };
  return (
    <svg ref={svg} viewBox={`0 0 ${width} ${height}`} className="w-full touch-none select-none" data-chart="fan">
      <title>
        Fan curve: duty by the temperature that the fan follows, where each load settles, and for how long each
        temperature was seen
      </title>
      <rect
        x={box.left}
        y={box.top}
        width={width - box.left - box.right}
        height={height - box.top - box.bottom}
        fill="var(--sheet)"
      />
      <Grid at={at} scale={view.scale} x={x} y={y} />
      <SeenTime at={at} x={x} floor={y(0)} />
      {at.proposed && <Path curve={at.proposed.curve} x={x} y={y} dash="6 4" width={1.4} />}
      {!own && <Path curve={at.today.curve} x={x} y={y} width={1} soft />}
      <Path curve={curve} x={x} y={y} width={3} />
      <Loads view={view} x={x} y={y} />
      {curve.map((p, i) => (
        <Grip
          // biome-ignore lint/suspicious/noArrayIndexKey: a point is its place in the curve
          key={i}
          number={i + 1}
          at={at}
          point={p}
          x={x(p.c)}
          y={y(p.duty)}
          place={place}
          onMove={(to) => move(i, to)}
        />
      ))}
    </svg>
  );
}

type Scale = (v: number) => number;

interface GridProps {
  at: Cooling;
  scale: Schemas['DutyNoise'][];
  x: Scale & { domain(): number[] };
  y: Scale;
}

function Grid({ at, scale, x, y }: GridProps) {
  const [from = 20, to = 100] = x.domain();
  const degrees = Array.from({ length: Math.floor((to - from) / 10) + 1 }, (_, i) => from + 10 * i);
  return (
    <g fontSize="11" fill="var(--soft)">
      {scale.map((m) => (
        <g key={m.duty}>
          <line
            x1={box.left}
            x2={width - box.right}
            y1={y(m.duty)}
            y2={y(m.duty)}
            stroke="var(--line)"
            strokeWidth="0.7"
          />
          <text x={box.left - 6} y={y(m.duty) + 4} textAnchor="end" className="num">
            {num(m.duty)} %
          </text>
          <text x={width - box.right + 6} y={y(m.duty) + 4} className="num">
            {m.rpm === 0 ? 'stands' : `${num(m.noiseDB)} dB(A)`}
          </text>
        </g>
      ))}
      {degrees.map((c) => (
        <g key={c}>
          <line x1={x(c)} x2={x(c)} y1={box.top} y2={height - box.bottom} stroke="var(--line)" strokeWidth="0.7" />
          <text x={x(c)} y={height - box.bottom + 15} textAnchor="middle" className="num">
            {num(c)}
          </text>
        </g>
      ))}
      <text x={width - box.right} y={height - 4} textAnchor="end">
        °C of the {at.source === 'coolant' ? 'coolant' : 'hottest core'}, which the fan follows
      </text>
    </g>
  );
}

/** For how long each temperature was seen, load upon load; the highest bin is as high as there is room. */
function SeenTime({ at, x, floor }: { at: Cooling; x: Scale; floor: number }) {
  const bins = Math.max(0, ...at.seen.map((s) => s.seconds.length));
  const sums = Array.from({ length: bins }, (_, i) => at.seen.reduce((sum, s) => sum + (s.seconds[i] ?? 0), 0));
  // the root, so that minutes under full load can be seen beside hours at rest
  const most = Math.sqrt(Math.max(1, ...sums));
  return (
    <g data-seen={at.seen.length}>
      {sums.map((sum, i) => {
        let up = 0;
        const first = at.seen[0];
        if (sum === 0 || !first) return null;
        const left = x(first.fromC + i * first.widthC);
        const right = x(first.fromC + (i + 1) * first.widthC);
        const tall = (Math.sqrt(sum) / most) * seenHeight;
        return at.seen.map((s) => {
          const share = ((s.seconds[i] ?? 0) / sum) * tall;
          up += share;
          return (
            share > 0 && (
              <rect
                // biome-ignore lint/suspicious/noArrayIndexKey: a bin is its place on the axis
                key={`${s.load} ${s.fromC + i * s.widthC}`}
                x={left}
                width={Math.max(0, right - left - 1)}
                y={floor - up}
                height={share}
                fill={tints[s.load]}
              >
                <title>{`${loadWords[s.load]}: ${num((s.seconds[i] ?? 0) / 60, 1)} min at ${num(s.fromC + i * s.widthC)} to ${num(s.fromC + (i + 1) * s.widthC)} °C`}</title>
              </rect>
            )
          );
        });
      })}
    </g>
  );
}

interface PathProps {
  curve: Point[];
  x: Scale & { range(): number[] };
  y: Scale;
  width: number;
  dash?: string;
  soft?: boolean;
}

/** A curve, level before its first point and after its last. */
function Path({ curve, x, y, width: stroke, dash, soft }: PathProps) {
  const [left = 0, right = 0] = x.range();
  const [first, last] = [curve[0], curve.at(-1)];
  if (!first || !last) return null;
  const points = curve.map((p) => `${x(p.c)} ${y(p.duty)}`).join('L');
  return (
    <path
      d={`M${left} ${y(first.duty)}L${points}L${right} ${y(last.duty)}`}
      fill="none"
      stroke={soft ? 'var(--soft)' : 'var(--ink)'}
      strokeWidth={stroke}
      strokeDasharray={dash}
      strokeLinejoin="round"
    />
  );
}

/** Where each load settles on the drawn curve: a bar as wide as its interval, its noise beside it. */
function Loads({ view, x, y }: { view: View; x: Scale; y: Scale }) {
  return view.loads.map((l) => {
    const right = x(l.controlC) > width - box.right - 120;
    return (
      <g key={l.load} data-settles={l.load} fill={l.over ? 'var(--caution)' : 'var(--ink)'}>
        <line
          x1={x(l.controlC - l.halfC)}
          x2={x(l.controlC + l.halfC)}
          y1={y(l.duty)}
          y2={y(l.duty)}
          stroke={l.over ? 'var(--caution)' : 'var(--ink)'}
          strokeWidth="7"
          strokeOpacity="0.45"
        />
        <path
          d={`M${x(l.controlC)} ${y(l.duty) - 6}v12`}
          stroke={l.over ? 'var(--caution)' : 'var(--ink)'}
          strokeWidth="2"
        />
        <text
          x={x(l.controlC) + (right ? -9 : 9)}
          y={y(l.duty) + (right ? -9 : 18)}
          textAnchor={right ? 'end' : 'start'}
          fontSize="12"
          paintOrder="stroke"
          stroke="var(--sheet)"
          strokeWidth="3"
        >
          {loadWords[l.load]}{' '}
          <tspan className="num" fontWeight="650">
            {num(l.noiseDB)} dB(A)
          </tspan>
          {l.over && ` above ${num(l.ceilingC)} °C`}
          {l.hunts && ' stops and starts'}
        </text>
      </g>
    );
  });
}

interface GripProps {
  number: number;
  at: Cooling;
  point: Point;
  x: number;
  y: number;
  place: (e: PointerEvent) => Point;
  onMove: (to: Point) => void;
}

/** A point of the curve, which can be dragged, or moved by the arrow keys. */
function Grip({ number, at, point, x, y, place, onMove }: GripProps) {
  const key = (e: KeyboardEvent) => {
    const by = { ArrowUp: [0, 1], ArrowDown: [0, -1], ArrowRight: [1, 0], ArrowLeft: [-1, 0] }[e.key];
    if (!by) return;
    e.preventDefault();
    const wide = e.shiftKey ? 5 : 1;
    onMove({
      c: point.c + (by[0] ?? 0) * at.cStep * wide,
      duty: point.duty + (by[1] ?? 0) * at.dutyStep * wide,
    });
  };
  return (
    <g
      role="slider"
      aria-label={`fan point ${number}`}
      aria-valuenow={point.duty}
      aria-valuetext={`${num(point.duty)} % at ${num(point.c)} °C`}
      aria-valuemin={at.dutyMin}
      aria-valuemax={at.dutyMax}
      tabIndex={0}
      className="cursor-move"
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && onMove(place(e))}
      onKeyDown={key}
    >
      <title>{`point ${number}: ${num(point.duty)} % at ${num(point.c)} °C; drag it`}</title>
      <circle cx={x} cy={y} r="14" fill="transparent" />
      <circle cx={x} cy={y} r="5.5" fill="var(--paper)" stroke="var(--ink)" strokeWidth="2" />
    </g>
  );
}
