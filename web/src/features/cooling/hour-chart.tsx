import { scaleLinear } from 'd3-scale';
import type { Schemas } from '../../api/client';
import { num, span } from '../../ui/format';

type View = Schemas['CurveView'];

interface HourChartProps {
  recorded: Schemas['RecordedHeat'];
  today: View;
  drawn?: View;
}

const width = 800;
const height = 150;
const box = { left: 46, right: 76, top: 8, bottom: 18 };

/** How the fan follows a recorded hour: the temperature as it was, and the duty as it is set and as it is drawn. */
export function HourChart({ recorded, today, drawn }: HourChartProps) {
  const end = recorded.at.at(-1) ?? 1;
  const x = scaleLinear([0, end], [box.left, width - box.right]);
  const duty = scaleLinear([0, 100], [height - box.bottom, box.top]);
  const c = scaleLinear([20, Math.max(60, ...recorded.c)], [height - box.bottom, box.top]);
  const line = (values: number[] | undefined, y: (v: number) => number) =>
    (values ?? []).map((v, i) => `${i ? 'L' : 'M'}${x(recorded.at[i] ?? 0).toFixed(1)} ${y(v).toFixed(1)}`).join('');
  const marks = c.ticks(3);
  return (
    <svg viewBox={`0 0 ${width} ${height}`} className="w-full" data-chart="hour">
      <title>The temperature as it was recorded, and how the fan follows it</title>
      <g fontSize="11" fill="var(--soft)" className="num">
        {[0, 50, 100].map((d) => (
          <g key={d}>
            <line
              x1={box.left}
              x2={width - box.right}
              y1={duty(d)}
              y2={duty(d)}
              stroke="var(--line)"
              strokeWidth="0.7"
            />
            <text x={box.left - 6} y={duty(d) + 4} textAnchor="end">
              {d} %
            </text>
          </g>
        ))}
        {marks.map((m) => (
          <text key={m} x={width - box.right + 6} y={c(m) + 4}>
            {num(m)} °C
          </text>
        ))}
        {x.ticks(6).map((s) => (
          <text key={s} x={x(s)} y={height - 4} textAnchor="middle">
            {span(s)}
          </text>
        ))}
      </g>
      <path d={line(recorded.c, c)} fill="none" stroke="var(--tint-4)" strokeWidth="1.2" />
      <path
        d={line(today.follows?.duty, duty)}
        fill="none"
        stroke={drawn ? 'var(--soft)' : 'var(--ink)'}
        strokeWidth={drawn ? 1 : 1.8}
      />
      {drawn && <path d={line(drawn.follows?.duty, duty)} fill="none" stroke="var(--ink)" strokeWidth="1.8" />}
    </svg>
  );
}
