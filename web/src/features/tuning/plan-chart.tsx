import { stepNames, surveys } from '../pilot/at-work';

export interface PlanPoint {
  kind: string;
  state: 'to come' | 'now' | 'done' | 'skipped';
  /** Of a step that is done: whether what it changed was kept. */
  kept?: boolean;
  /** Under its name. */
  below: string;
  /** What the step takes, on the way to it. */
  takes?: string;
}

const height = 92;
const y = 34;

/** A tuning as a course yet to be sailed: dotted where it is to come, a line where it was. The survey dips on its way. */
export function PlanChart({ steps }: { steps: PlanPoint[] }) {
  const width = 100 / Math.max(steps.length, 1);
  const x = (i: number) => `${width * (i + 0.5)}%`;
  const ahead = steps.findIndex((s) => s.state === 'to come' || s.state === 'now');
  return (
    <div className="relative mb-3" style={{ height }}>
      <svg className="absolute inset-0 h-full w-full overflow-visible" aria-hidden="true">
        {steps.map((s, i) => {
          if (i === 0) return null;
          const passed = ahead < 0 || i < ahead;
          return (
            <line
              key={s.kind}
              x1={x(i - 1)}
              x2={x(i)}
              y1={y}
              y2={y}
              stroke="var(--ink)"
              strokeWidth={passed ? 1.8 : 1.2}
              strokeDasharray={passed ? undefined : '2 4'}
            />
          );
        })}
        {steps.map((s, i) => (
          <svg key={s.kind} x={x(i)} y={y} overflow="visible" aria-hidden="true">
            {surveys.includes(s.kind) && s.state !== 'skipped' && <Dip />}
            <Mark point={s} />
          </svg>
        ))}
      </svg>
      {steps.map((s, i) => (
        <div
          key={s.kind}
          className="absolute top-0 text-center leading-tight"
          style={{ left: `${width * i}%`, width: `${width}%` }}
          data-step={s.kind}
          data-state={s.state}
        >
          <span className="num block h-[18px] truncate text-[11px] text-soft">
            {s.state === 'now' ? 'now' : s.takes}
          </span>
          <span
            className={`mt-[34px] block truncate text-[13px] ${s.state === 'now' ? 'font-semibold' : ''} ${s.state === 'skipped' ? 'text-soft line-through' : ''}`}
          >
            {stepNames[s.kind] ?? s.kind}
          </span>
          <span className="num block truncate text-[11px] text-soft">{s.below}</span>
        </div>
      ))}
    </div>
  );
}

/** Soundings on the way to the depths. */
function Dip() {
  return (
    <g stroke="var(--tint-4)" strokeWidth={2}>
      {[9, 13, 6, 15, 11].map((depth, i) => (
        <line key={depth} x1={-52 + 9 * i} x2={-52 + 9 * i} y1={0} y2={depth} />
      ))}
    </g>
  );
}

function Mark({ point }: { point: PlanPoint }) {
  if (point.state === 'skipped') return <path d="M-5,5 L5,-5" stroke="var(--soft)" strokeWidth={1.6} />;
  if (point.state === 'done' && point.kept === false && point.kind !== 'baseline')
    return <path d="M-5,-5 L5,5 M-5,5 L5,-5" stroke="var(--caution)" strokeWidth={2.2} />;
  const fill = point.state === 'done' ? 'var(--held)' : 'var(--paper)';
  return (
    <>
      {point.state === 'now' && <circle r={9} fill="none" stroke="var(--ink)" />}
      <circle
        r={5}
        fill={fill}
        stroke="var(--ink)"
        strokeWidth={1.4}
        strokeDasharray={point.state === 'to come' ? '2 2' : undefined}
      />
    </>
  );
}
