import { scaleLinear, scaleQuantize } from 'd3-scale';
import type { Schemas } from '../../api/client';
import type { View } from '../../api/queries';
import { span } from '../../ui/format';
import { gutter } from './strip';

type Telemetry = Schemas['Telemetry'];

/**
 * Fill of each limiter; a word stands in every stretch that has room for it. Limits of one kind share a tint, and the
 * short-lived one of a kind is hatched.
 */
const fills: Record<string, string> = {
  none: 'var(--sheet)',
  ratio: 'var(--tint-1)',
  'sustained power': 'var(--tint-3)',
  'short power': 'url(#limiter-short-power)',
  'sustained current': 'var(--tint-2)',
  'peak current': 'url(#limiter-peak-current)',
  temperature: 'color-mix(in srgb, var(--caution) 22%, var(--sheet))',
  voltage: 'var(--tint-4)',
};

/** What a limiter is painted with that has no fill of its own here: a word names it all the same. */
const unknownFill = 'var(--paper)';

/** Hatches of the limits that hold for moments. */
function Hatches() {
  const hatch = (id: string, ground: string) => (
    <pattern id={id} width={6} height={6} patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
      <rect width={6} height={6} fill={ground} />
      <rect width={2} height={6} fill="var(--tint-4)" />
    </pattern>
  );
  return (
    <defs>
      {hatch('limiter-short-power', 'var(--tint-3)')}
      {hatch('limiter-peak-current', 'var(--tint-2)')}
    </defs>
  );
}

interface Stretch {
  name: string;
  from: number;
  to: number;
}

/** Where a time lies in the view, 0 to 1. */
const place = (t: number, view: View) => scaleLinear([view.from, view.to], [0, 1]).clamp(true)(t);

/** What held the clock down, moment by moment. */
export function LimiterRibbon({ telemetry, view, width }: { telemetry: Telemetry; view: View; width: number }) {
  const channel = telemetry.channels.find((c) => c.key === 'limiter');
  if (!channel?.categories) return null;
  const names = channel.categories;
  const stretches: Stretch[] = [];
  channel.t.forEach((t, i) => {
    const name = names[channel.mean[i] ?? 0] ?? 'none';
    const last = stretches.at(-1);
    const end = Math.min(channel.t[i + 1] ?? telemetry.toS, t + 3 * telemetry.bucketS + 2.5);
    if (last?.name === name && t - last.to < 0.01) last.to = end;
    else stretches.push({ name, from: t, to: end });
  });
  const inner = width - gutter - 4;
  return (
    <section aria-label="Limiter" className="my-1 flex items-center">
      <span className="text-[13px] font-semibold" style={{ width: gutter }}>
        Limiter
      </span>
      <svg
        width={inner}
        height={20}
        role="img"
        aria-label={stretches.map((s) => `${s.name} from ${span(s.from)}`).join(', ')}
      >
        <Hatches />
        {stretches.map((s) => {
          const x = place(s.from, view) * inner;
          const w = place(s.to, view) * inner - x;
          return (
            <g key={s.from}>
              <title>{`${s.name}, ${span(s.from)} to ${span(s.to)}`}</title>
              <rect
                x={x}
                width={Math.max(w, 0.5)}
                height={20}
                fill={fills[s.name] ?? unknownFill}
                stroke="var(--line)"
                strokeWidth={w > 3 ? 0.6 : 0}
              />
              {w > s.name.length * 6.4 + 6 && (
                <text x={x + w / 2} y={14} textAnchor="middle" fontSize={12} fill="var(--ink)">
                  {s.name}
                </text>
              )}
            </g>
          );
        })}
      </svg>
    </section>
  );
}

/** Channels that can tell a core that stopped from its peers, the best first. */
const coreChannels = ['temperature.core.', 'rate.core.', 'load.core.'];

/** A line per core, tinted by its figure: a core that stopped stays pale while its peers deepen. */
export function CoreStrip({
  telemetry,
  view,
  width,
  failed,
}: {
  telemetry: Telemetry;
  view: View;
  width: number;
  failed: number;
}) {
  const prefix = coreChannels.find((p) => telemetry.channels.some((c) => c.key.startsWith(p)));
  if (!prefix) return null;
  const cores = telemetry.channels.filter((c) => c.key.startsWith(prefix));
  const all = cores.flatMap((c) => c.mean);
  const low = Math.min(...all);
  const high = Math.max(...all, low + 1);
  const inner = width - gutter - 4;
  const row = cores.length > 10 ? 6 : 9;
  return (
    <section aria-label="Cores" className="mt-1">
      <p className="text-[13px] leading-tight" style={{ paddingLeft: gutter }}>
        <span className="font-semibold">Cores</span>{' '}
        <span className="text-soft">
          {cores[0]?.quantity === 'temperature' ? 'temperature' : cores[0]?.quantity}, paler is less: {low.toFixed(0)}{' '}
          to {high.toFixed(0)} {cores[0]?.unit}
        </span>
      </p>
      {cores.map((c) => (
        <div key={c.key} className="flex items-center" style={{ height: row }}>
          <span
            className={`num pr-2 text-right text-[10px] leading-none ${c.core === failed ? 'font-bold text-caution' : 'text-soft'}`}
            style={{ width: gutter }}
          >
            {c.core === failed ? `✕ ${c.core}` : c.core}
          </span>
          <svg width={inner} height={row - 1} aria-hidden="true">
            {runs(c, low, high, telemetry.bucketS).map((r) => (
              <rect
                key={r.from}
                x={place(r.from, view) * inner}
                width={(place(r.to, view) - place(r.from, view)) * inner + 0.4}
                height={row - 1}
                fill={r.fill}
              />
            ))}
          </svg>
        </div>
      ))}
    </section>
  );
}

const depths = ['var(--sheet)', 'var(--tint-1)', 'var(--tint-2)', 'var(--tint-3)', 'var(--tint-4)'];

/** Joins neighbouring buckets of one tint, so that a long trial stays light to draw. */
function runs(c: Schemas['ChannelSeries'], low: number, high: number, bucketS: number) {
  const tint = scaleQuantize([low, high], depths);
  const out: { from: number; to: number; fill: string }[] = [];
  c.t.forEach((t, i) => {
    const fill = tint(c.mean[i] ?? low);
    const end = Math.min(c.t[i + 1] ?? t + bucketS, t + 3 * bucketS + 2.5);
    const last = out.at(-1);
    if (last?.fill === fill && t - last.to < 0.01) last.to = end;
    else out.push({ from: t, to: end, fill });
  });
  return out;
}
