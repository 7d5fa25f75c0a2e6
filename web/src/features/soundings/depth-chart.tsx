import { scaleLinear } from 'd3-scale';
import { type KeyboardEvent, type PointerEvent, useRef } from 'react';
import type { Schemas } from '../../api/client';
import { num } from '../../ui/format';
import { clear, held, lanes, recommends, setting, settingWithUnit, tints } from './depth';

type Soundings = Schemas['Soundings'];
type Core = Schemas['SoundedCore'];

interface DepthChartProps {
  at: Soundings;
  /** What the trim is called whose settings stay. */
  name: string;
  keel: number[];
  onKeel: (core: number, depth: number) => void;
  /** Depths that are tried next, and in a few words when. */
  next?: { depths: number[]; words: string };
}

const width = 800;
const height = 506;
const left = 40;
const top = 34;
const bottom = 8;

const most = { rings: 3, wideCores: 10 };

/** Cores along the top, depth downwards: what held and failed, the chance of a fault, the keel of the trim and what is recommended. */
export function DepthChart({ at, name, keel, onKeel, next }: DepthChartProps) {
  const box = useRef<SVGSVGElement>(null);
  const { cores } = at;
  const drawn = recommends(at);
  const keels = Math.max(2, ...cores.map((c) => Math.max(c.keel, c.own, drawn ? c.found : c.own)));
  // what was tried far above the keel is on record, and not drawn
  const room = keels + Math.max(6, Math.abs(at.deepest) / 3);
  const shallow =
    Math.max(keels, Math.min(room, Math.max(at.thing ? keels : at.shallowest, ...at.points.map((p) => p.depth)))) + 1;
  const deep = at.deepest - 1.5;
  const y = scaleLinear([shallow, deep], [top, height - bottom]);
  const column = (width - left) / cores.length;
  const x = (place: number) => left + place * column;
  const step = Math.abs(y(0) - y(1));
  const wide = cores.length <= most.wideCores;
  const placeOf = new Map(cores.map((c, i) => [c.core, i]));
  const depthAt = (clientY: number) => {
    const rect = box.current?.getBoundingClientRect();
    if (!rect) return 0;
    return Math.round(y.invert(((clientY - rect.top) / rect.height) * height));
  };
  return (
    <svg ref={box} viewBox={`0 0 ${width} ${height}`} className="w-full touch-none select-none" data-chart="soundings">
      <title>{`${at.name}${at.thing ? '' : ' per core'}, in ${at.unit}: what held, what failed, and the chance of a fault a day`}</title>
      <rect x={left} y={top} width={width - left} height={height - top - bottom} fill="var(--buff)" />
      {cores.map((c, i) => (
        <Tints key={c.core} core={c} x={x(i)} width={column} at={at} y={y} shallow={shallow} />
      ))}
      {gridOf(at.deepest, shallow).map((d) => (
        <g key={d}>
          <line x1={left} x2={width} y1={y(d)} y2={y(d)} stroke="var(--line)" strokeWidth="0.7" />
          <text x={left - 5} y={y(d) + 4} textAnchor="end" className="num" fontSize="11" fill="var(--soft)">
            {setting(at, d)}
          </text>
        </g>
      ))}
      {cores.map((c, i) => (
        <Column
          key={c.core}
          core={c}
          thing={at.thing}
          over={at.over && (at.at?.known ?? false)}
          x={x(i)}
          width={column}
          divided={i > 0 && cores[i - 1]?.cluster !== c.cluster}
        />
      ))}
      {at.rings.slice(0, most.rings).map((r, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a trial may have several
        <Ring key={i} ring={r} x={x} column={column} y={y} placeOf={placeOf} />
      ))}
      {next && <path d={keelPath(next.depths, x, column, y)} {...line('var(--caution)', 1.4, '1 4')} />}
      {drawn && (
        <path
          d={keelPath(
            at.cores.map((c) => c.found),
            x,
            column,
            y,
          )}
          {...line('var(--ink)', 1.3, '6 4')}
        />
      )}
      <path d={keelPath(keel, x, column, y)} {...line('var(--ink)', 3)} />
      <text
        x={x(cores.length) - 4}
        y={y(keel.at(-1) ?? 0) - 5}
        textAnchor="end"
        fontSize="12"
        fontWeight="650"
        fill="var(--ink)"
        {...clear}
      >
        {name}
      </text>
      {shownPoints(at.points, wide)
        .filter((p) => p.depth < shallow)
        .map((p) => {
          const place = placeOf.get(p.core);
          return (
            place !== undefined && (
              <Point
                key={`${p.core} ${p.regime} ${p.depth}`}
                point={p}
                x={x(place)}
                width={column}
                y={y(p.depth)}
                step={step}
                wide={wide}
                at={at}
              />
            )
          );
        })}
      {cores.map((c, i) => (
        <KeelGrip
          key={c.core}
          core={c}
          depth={keel[i] ?? 0}
          at={at}
          x={x(i)}
          width={column}
          y={y}
          depthAt={depthAt}
          onKeel={(d) => onKeel(i, d)}
        />
      ))}
    </svg>
  );
}

const line = (stroke: string, strokeWidth: number, strokeDasharray?: string) => ({
  fill: 'none',
  stroke,
  strokeWidth,
  strokeDasharray,
  strokeLinejoin: 'round' as const,
});

/** In narrow columns the regimes of a depth share one figure, of the longest. */
function shownPoints(points: Schemas['Sounding'][], wide: boolean): Schemas['Sounding'][] {
  if (wide) return points;
  const longest = new Map<string, Schemas['Sounding']>();
  for (const p of points) {
    const key = `${p.core} ${p.depth}`;
    const before = longest.get(key);
    if (!before || p.faults > before.faults || (p.faults === before.faults && p.minutes > before.minutes))
      longest.set(key, p);
  }
  return [...longest.values()];
}

/** Depths that are written beside the drawing: about a dozen at most. */
function gridOf(deepest: number, shallow: number): number[] {
  const by = [1, 2, 5, 10].find((b) => (shallow - deepest) / b <= 13) ?? 10;
  const from = Math.ceil(deepest / by);
  return Array.from({ length: Math.floor(shallow / by) - from + 1 }, (_, i) => (from + i) * by);
}

/** A flat piece for each core, upright edges between. */
const keelPath = (depths: number[], x: (i: number) => number, column: number, y: (d: number) => number) =>
  depths.map((d, i) => `${i === 0 ? 'M' : 'L'}${x(i)},${y(d)} L${x(i) + column},${y(d)}`).join(' ');

interface TintsProps {
  core: Core;
  x: number;
  width: number;
  at: Soundings;
  y: (d: number) => number;
  shallow: number;
}

/** A core's column in bands by the chance of a fault a day, down to where it was tested; below that lies unsounded ground. */
function Tints({ core, x, width, at, y, shallow }: TintsProps) {
  if (core.sounded == null) return null;
  const bands: { from: number; to: number; fill: string }[] = [];
  core.chances.forEach((chance, i) => {
    const depth = at.deepest + i;
    if (depth < (core.sounded ?? 0)) return;
    const fill = tints.find((t) => chance >= t.from)?.fill ?? '';
    const last = bands.at(-1);
    if (depth - 0.5 >= shallow) return;
    const upper = i === core.chances.length - 1 ? shallow : Math.min(shallow, depth + 0.5);
    if (last?.fill === fill) last.to = upper;
    else bands.push({ from: depth - 0.5, to: upper, fill });
  });
  return bands.map((b) => (
    <rect key={b.from} x={x} width={width} y={y(b.to)} height={y(b.from) - y(b.to)} fill={b.fill} />
  ));
}

interface ColumnProps {
  core: Core;
  thing: string;
  over: boolean;
  x: number;
  width: number;
  divided: boolean;
}

function Column({ core, thing, over, x, width, divided }: ColumnProps) {
  const tight = width < 60;
  const tooDeep = over && core.keel < core.found;
  return (
    <g textAnchor="middle">
      {divided && <line x1={x} x2={x} y1={top - 26} y2={height - bottom} stroke="var(--ink)" strokeWidth="1" />}
      {!divided && <line x1={x} x2={x} y1={top} y2={height - bottom} stroke="var(--line)" strokeWidth="0.7" />}
      <text x={x + width / 2} y={12} fontSize="12.5" fill="var(--ink)">
        {thing || (tight ? core.core : `core ${core.core}`)}
      </text>
      <text
        x={x + width / 2}
        y={27}
        fontSize="11"
        className="num"
        fill={tooDeep ? 'var(--caution)' : 'var(--soft)'}
        fontWeight={tooDeep ? 650 : 400}
      >
        {tight
          ? num(core.clearance)
          : `clear ${num(core.clearance)}${tooDeep ? ` of ${num(core.foundClearance)}` : ''}`}
      </text>
    </g>
  );
}

interface PointProps {
  point: Schemas['Sounding'];
  x: number;
  width: number;
  y: number;
  step: number;
  wide: boolean;
  at: Soundings;
}

/** What was tested: a figure of minutes where it held, a cross where it failed, each regime at its place of the column. */
function Point({ point, x, width, y, step, wide, at: soundings }: PointProps) {
  const regimes = lanes(soundings);
  const place = regimes.findIndex((r) => r.regime === point.regime);
  const at = wide ? x + (width * (place + 0.5)) / regimes.length : x + width / 2;
  const size = Math.min(10.5, Math.max(7.5, step * 0.95));
  const minutes = held(point.minutes);
  const told = `${soundings.thing || `core ${point.core}`}, ${regimes[place]?.word}, ${settingWithUnit(soundings, point.depth)}: ${point.minutes > 0 ? `held ${num(point.minutes, 1)} min` : ''}${point.faults > 0 ? ` failed ${point.faults}×` : ''}`;
  if (point.faults > 0) {
    const r = wide ? 3.6 : 2.6;
    return (
      <g transform={`translate(${at},${y})`} stroke="var(--caution)" strokeWidth="1.5" data-point="failed">
        <title>{told}</title>
        <line x1={-r} x2={r} y1="0" y2="0" />
        <line x1="0" x2="0" y1={-r} y2={r} />
      </g>
    );
  }
  return (
    <text
      x={at}
      y={y + size * 0.36}
      textAnchor="middle"
      fontSize={size}
      className="num"
      fill="var(--ink)"
      data-point="held"
      {...clear}
    >
      <title>{told}</title>
      {minutes}
    </text>
  );
}

interface RingProps {
  ring: Schemas['UnnamedFault'];
  x: (i: number) => number;
  column: number;
  y: (d: number) => number;
  placeOf: Map<number, number>;
}

/** A freeze or a restart that no core owns: dashed, around all that ran. */
function Ring({ ring, x, column, y, placeOf }: RingProps) {
  const places = ring.cores.map((c) => placeOf.get(c)).filter((p): p is number => p !== undefined);
  const depths = places.map((p) => ring.depths[p] ?? 0);
  if (places.length === 0) return null;
  const [from, to] = [Math.min(...places), Math.max(...places)];
  const [upper, lower] = [y(Math.max(...depths)) - 7, y(Math.min(...depths)) + 7];
  return (
    <g data-ring={ring.verdict}>
      <title>{ring.words}</title>
      <rect
        x={x(from) + 3}
        width={x(to) + column - x(from) - 6}
        y={upper}
        height={lower - upper}
        rx="7"
        {...line('var(--caution)', 1.1, '4 3')}
      />
    </g>
  );
}

interface GripProps {
  core: Core;
  depth: number;
  at: Soundings;
  x: number;
  width: number;
  y: (d: number) => number;
  depthAt: (clientY: number) => number;
  onKeel: (depth: number) => void;
}

/** A core's piece of the keel, which can be dragged, or moved by the arrow keys. */
function KeelGrip({ core, depth, at, x, width, y, depthAt, onKeel }: GripProps) {
  const most = Math.max(at.shallowest, core.own);
  const move = (d: number) => onKeel(Math.min(most, Math.max(at.deepest, d)));
  const drag = (e: PointerEvent<SVGRectElement>) => {
    if (e.currentTarget.hasPointerCapture(e.pointerId)) move(depthAt(e.clientY));
  };
  const key = (e: KeyboardEvent) => {
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
    if (!by) return;
    e.preventDefault();
    move(depth + by * (e.shiftKey ? 5 : 1));
  };
  return (
    <rect
      role="slider"
      aria-label={at.thing ? `keel of the ${at.thing}` : `keel of core ${core.core}`}
      aria-valuenow={depth}
      aria-valuemin={at.deepest}
      aria-valuemax={most}
      aria-orientation="vertical"
      tabIndex={0}
      x={x}
      width={width}
      y={y(depth) - 8}
      height={16}
      fill="transparent"
      className="cursor-ns-resize"
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={drag}
      onKeyDown={key}
    >
      <title>{`${at.thing || `core ${core.core}`} at ${settingWithUnit(at, depth)}; drag it`}</title>
    </rect>
  );
}
