import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import type { Schemas } from '../api/client';
import { num } from './format';

type Drawing = Schemas['PartDrawing'];
type Point = [number, number];

const inks = [
  'var(--color-ink)',
  'var(--color-tint-4)',
  'var(--color-held)',
  'var(--color-caution)',
  'var(--color-soft)',
];

/** Some curves over one axis, each named at its end; points that a curve goes through are dots. */
export function Curves({ drawing }: { drawing: Drawing }) {
  const [width, height] = [390, 178];
  const [left, right, top, bottom] = [46, 84, 6, 22];
  const all = drawing.lines.flatMap((l) => l.points as Point[]);
  if (all.length === 0) return null;
  const xs = all.map((p) => p[0]);
  const ys = all.map((p) => p[1]);
  const x = scaleLinear([Math.min(...xs), Math.max(...xs)], [left, width - right]);
  const y = scaleLinear([Math.min(...ys), Math.max(...ys)], [height - bottom, top]).nice(4);
  const steps = y.ticks(4);
  const places = Math.min(3, Math.max(0, ...steps.map((t) => String(Number(t.toFixed(4))).split('.')[1]?.length ?? 0)));
  const path = line<Point>(
    (p) => x(p[0]),
    (p) => y(p[1]),
  );
  const names = [...new Set(drawing.lines.map((l) => l.name))];
  const ink = (name: string) => inks[names.indexOf(name) % inks.length];
  // Names stand at the ends of their curves, and are moved apart where these meet.
  const ends = drawing.lines
    .filter((l) => !l.dots && l.points.length > 0)
    .map((l) => ({ name: l.name, at: y((l.points.at(-1) as Point)[1]) + 4 }))
    .sort((a, b) => a.at - b.at);
  ends.forEach((end, i) => {
    const before = ends[i - 1];
    if (before) end.at = Math.max(end.at, before.at + 12);
  });
  return (
    <figure className="min-w-0" data-curves={drawing.title}>
      <figcaption className="mb-1">
        <span className="font-semibold">{drawing.title}</span>{' '}
        <span className="text-[12.5px] text-soft">
          {drawing.y.label}, {drawing.y.unit}
        </span>
      </figcaption>
      <svg viewBox={`0 0 ${width} ${height}`} className="block w-full" role="img" aria-label={drawing.title}>
        {steps.map((t) => (
          <g key={t}>
            <line x1={left} x2={width - right} y1={y(t)} y2={y(t)} stroke="var(--color-line)" />
            <text x={left - 6} y={y(t) + 4} textAnchor="end" fontSize="11" className="num" fill="var(--color-soft)">
              {num(t, places)}
            </text>
          </g>
        ))}
        {x.ticks(5).map((t) => (
          <text
            key={t}
            x={x(t)}
            y={height - 8}
            textAnchor="middle"
            fontSize="11"
            className="num"
            fill="var(--color-soft)"
          >
            {num(t)}
          </text>
        ))}
        <text x={width - right + 18} y={height - 8} fontSize="11" fill="var(--color-soft)">
          {drawing.x.unit}
        </text>
        {drawing.lines.map((l, i) =>
          l.dots ? (
            // biome-ignore lint/suspicious/noArrayIndexKey: lines have no other key
            <g key={i}>
              {(l.points as Point[]).map((p) => (
                <circle key={p[0]} cx={x(p[0])} cy={y(p[1])} r="3" fill={ink(l.name)} />
              ))}
            </g>
          ) : (
            // biome-ignore lint/suspicious/noArrayIndexKey: lines have no other key
            <path key={i} d={path(l.points as Point[]) ?? ''} fill="none" stroke={ink(l.name)} strokeWidth="1.6" />
          ),
        )}
        {ends.length < 10 &&
          ends.map((end) => (
            <text key={end.name} x={width - right + 6} y={end.at} fontSize="11" fill={ink(end.name)}>
              {end.name}
            </text>
          ))}
      </svg>
      {drawing.note && <p className="text-[12.5px] text-soft">{drawing.note}</p>}
    </figure>
  );
}
