import { useQueries } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'wouter';
import type { Schemas } from '../../api/client';
import { overlaidQuery, type View } from '../../api/queries';
import { loadNames, roughly } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { type Line, Strip, TimeRuler } from '../trial/strip';

type Compared = Schemas['Compared'];
type Telemetry = Schemas['Telemetry'];

/** Lines are told apart by how they are drawn, in the order of the columns. */
const looks: Line['look'][] = ['thin', 'main', 'dashed', 'under'];

const strips: [string, string][] = [
  ['power.package', 'Package power'],
  ['temperature.above', 'Above ambient'],
  ['clock.effective.mean', 'Effective clock'],
  ['voltage.core.delivered', 'Core voltage'],
  ['speed.fan.1', 'Fan'],
  ['power.wall', 'Wall power'],
];

/** Legs of the same load over one time axis, each from its own beginning. */
export function Overlay({ of }: { of: Compared[] }) {
  const loads = [...new Set(of.flatMap((one) => one.legs.map((l) => l.load)))];
  const [load, setLoad] = useState(loads.includes('heavy') ? 'heavy' : loads[0]);
  const legs = of.map((one) => one.legs.find((l) => l.load === load));
  const longest = Math.max(1, ...legs.map((l) => (l ? l.toS - l.fromS : 0)));
  const [zoomed, setView] = useState<View>();
  const view = zoomed ?? { from: 0, to: longest };
  const data = useQueries({
    queries: legs.map((l) => ({
      ...overlaidQuery(l?.trial ?? 0, { from: (l?.fromS ?? 0) + view.from, to: (l?.fromS ?? 0) + view.to }),
      enabled: l !== undefined,
    })),
  });
  const host = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  useEffect(() => {
    if (!host.current) return;
    const watch = new ResizeObserver(([entry]) => entry && setWidth(Math.floor(entry.contentRect.width)));
    watch.observe(host.current);
    return () => watch.disconnect();
  }, []);
  if (loads.length === 0)
    return <p className="text-soft">No leg of any of them settled, so there is nothing to overlay.</p>;
  const told = data.map((d) => d.data);
  const drawn = strips.filter(([key]) => told.some((t) => t?.channels.some((c) => c.key === key)));
  return (
    <div ref={host} data-overlaid={told.filter((t) => t !== undefined).length}>
      <p className="mb-1 flex flex-wrap items-baseline gap-x-4 text-[13px]">
        {loads.map((l) => (
          <button
            key={l}
            type="button"
            aria-pressed={l === load}
            onClick={() => {
              setLoad(l);
              setView(undefined);
            }}
            className={l === load ? 'font-semibold' : 'text-soft underline'}
          >
            {loadNames[l] ?? l}
          </button>
        ))}
        <span className="text-soft">each from the beginning of its leg</span>
        {zoomed && (
          <button type="button" className="underline" onClick={() => setView(undefined)}>
            Whole legs
          </button>
        )}
      </p>
      <p className="mb-1 flex flex-wrap gap-x-4 text-[13px]">
        {of.map((one, i) => {
          const leg = legs[i];
          return (
            <span key={one.trim}>
              <Sample look={looks[i] ?? 'thin'} /> <strong>{one.name}</strong>{' '}
              {leg ? (
                <Link className="text-soft underline" href={sheetPath(one.rig, 'trial', leg.trial)}>
                  {roughly(leg.toS - leg.fromS)}
                </Link>
              ) : (
                <span className="text-soft">no leg of this load</span>
              )}
            </span>
          );
        })}
      </p>
      {width > 0 &&
        drawn.map(([key, title]) => {
          const unit = told.flatMap((t) => t?.channels ?? []).find((c) => c.key === key)?.unit ?? '';
          const { times, lines } = overlaid(key, of, legs, told, view);
          return (
            <Strip
              key={key}
              title={title}
              unit={unit}
              decimals={unit === 'V' ? 2 : 0}
              times={times}
              lines={lines}
              width={width}
              height={96}
              view={view}
              onView={setView}
            />
          );
        })}
      {width > 0 && drawn.length > 0 && <TimeRuler view={view} width={width} />}
    </div>
  );
}

/** How a line is drawn, as a stroke. */
function Sample({ look }: { look: Line['look'] }) {
  const stroke = look === 'main' ? 'var(--ink)' : look === 'under' ? 'var(--tint-4)' : 'var(--soft)';
  return (
    <svg width={26} height={8} className="inline-block" aria-hidden="true">
      <line
        x1={0}
        x2={26}
        y1={4}
        y2={4}
        stroke={stroke}
        strokeWidth={look === 'main' ? 2 : look === 'under' ? 3 : 1.2}
        strokeDasharray={look === 'dashed' ? '4 3' : undefined}
      />
    </svg>
  );
}

/** A channel of every leg, bucket by bucket since its own beginning: all are asked for with as many buckets over as long a time. */
function overlaid(
  key: string,
  of: Compared[],
  legs: ({ fromS: number; toS: number } | undefined)[],
  told: (Telemetry | undefined)[],
  view: View,
) {
  const bucketS = told.find((t) => t !== undefined)?.bucketS ?? 1;
  const places = Math.ceil((view.to - view.from) / bucketS);
  const times = Array.from({ length: places }, (_, i) => view.from + i * bucketS);
  const lines: Line[] = of.map((one, i) => {
    const values: (number | null)[] = Array.from({ length: places }, () => null);
    const c = told[i]?.channels.find((x) => x.key === key);
    const leg = legs[i];
    c?.t.forEach((t, k) => {
      if (!leg || t > leg.toS) return; // the trial goes on with another leg
      const place = Math.round((t - leg.fromS - view.from) / bucketS);
      if (place >= 0 && place < places) values[place] = c.mean[k] ?? null;
    });
    return { label: one.name, values, look: looks[i] ?? 'thin' };
  });
  return { times, lines };
}
