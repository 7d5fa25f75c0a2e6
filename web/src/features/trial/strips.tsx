import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Schemas, Trial, Trim } from '../../api/client';
import { telemetryQuery } from '../../api/queries';
import { CoreStrip, LimiterRibbon } from './ribbon';
import { type Line, Strip, TimeRuler } from './strip';

type Channel = Schemas['ChannelSeries'];

/** The strips of a trial over one time axis, while it runs and afterwards. */
export function Strips({ trial, trim }: { trial: Trial; trim?: Trim }) {
  const { data } = useQuery(telemetryQuery(trial.id));
  const host = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (!host.current) return;
    const watch = new ResizeObserver(([entry]) => {
      if (entry) setSize({ width: Math.floor(entry.contentRect.width), height: Math.floor(entry.contentRect.height) });
    });
    watch.observe(host.current);
    return () => watch.disconnect();
  }, []);
  const strips = useMemo(() => build((data?.channels ?? []).map((c) => withGaps(c, data?.bucketS ?? 1))), [data]);
  const to = Math.max(data?.toS ?? 0, trial.ended ? 0 : trial.lengthS, 1);
  const { width } = size;
  const cores = data?.channels.filter((c) => c.key.startsWith('temperature.core.')).length || 2;
  const height = Math.max(58, Math.floor((size.height - 84 - cores * 9) / Math.max(3, strips.length)) - 17);
  const limits = limitsOf(trim);
  return (
    <div ref={host} className="min-h-0 flex-1" data-strips={data?.channels.length ?? 0}>
      {data && data.channels.length === 0 && (
        <p className="text-soft">No figures yet: they come in once the first leg has begun.</p>
      )}
      {data && width > 0 && data.channels.length > 0 && (
        <>
          {strips.map((s, i) => (
            <div key={s.title}>
              <Strip {...s} limit={limits[s.title]} trial={trial} width={width} height={height} to={to} />
              {i === 0 && <LimiterRibbon telemetry={data} to={to} width={width} />}
            </div>
          ))}
          <CoreStrip telemetry={data} to={to} width={width} failed={trial.core} />
          <TimeRuler to={to} width={width} />
        </>
      )}
    </div>
  );
}

interface StripData {
  title: string;
  unit: string;
  decimals: number;
  times: number[];
  lines: Line[];
}

/** Breaks a channel where nothing was measured, as between two legs, so that no line is drawn across. */
function withGaps(c: Channel, bucketS: number): Channel {
  const t: number[] = [];
  const figures: number[] = [];
  c.t.forEach((at, i) => {
    const before = c.t[i - 1];
    if (before !== undefined && at - before > 3 * bucketS + 2.5) {
      t.push(before + bucketS);
      figures.push(Number.NaN);
    }
    t.push(at);
    figures.push(c.mean[i] ?? Number.NaN);
  });
  return { ...c, t, mean: figures };
}

const orNull = (x: number | undefined) => (x === undefined || Number.isNaN(x) ? null : x);

/** The strips that the rig's channels allow, in their order. */
function build(channels: Channel[]): StripData[] {
  const byKey = (key: string) => channels.find((c) => c.key === key);
  const out: StripData[] = [];
  const add = (title: string, decimals: number, list: [Channel | undefined, string, Line['look']][]) => {
    const known = list.filter((x): x is [Channel, string, Line['look']] => x[0] !== undefined);
    const first = known[0]?.[0];
    if (!first) return;
    const lines = known.map(([c, label, look]) => ({ label, look, values: onAxis(c, first.t) }));
    out.push({ title, unit: first.unit, decimals, times: first.t, lines });
  };
  add('Clock', 0, [
    [byKey('clock.effective.mean'), 'effective, mean of the cores awake', 'main'],
    [byKey('clock.effective.lowest'), 'lowest', 'thin'],
  ]);
  add('Core voltage', 3, [
    [byKey('voltage.core.delivered'), 'delivered', 'main'],
    [byKey('voltage.core.requested'), 'requested', 'dashed'],
  ]);
  add('Package power', 0, [[byKey('power.package'), 'package', 'main']]);
  add('Temperature', 0, [
    [byKey('temperature.package'), 'hottest core', 'main'],
    [byKey('temperature.coolant'), 'coolant', 'thin'],
  ]);
  add('Rate', 1, [[byKey('rate.mean'), 'mean of the cores', 'main']]);
  add('Load', 0, [[byKey('load.mean'), 'mean of the cores', 'main']]);
  return out;
}

function onAxis(c: Channel, times: number[]): (number | null)[] {
  if (c.t.length === times.length) return c.mean.map(orNull);
  const at = new Map(c.t.map((t, i) => [t, c.mean[i]]));
  return times.map((t) => orNull(at.get(t)));
}

function limitsOf(trim?: Trim): Record<string, { label: string; at: number }> {
  const ppt = trim?.settings['limit.ppt'];
  const temperature = trim?.settings['limit.temperature'];
  const out: Record<string, { label: string; at: number }> = {};
  if (typeof ppt === 'number') out['Package power'] = { label: `PPT ${ppt} W`, at: ppt };
  if (typeof temperature === 'number') out.Temperature = { label: `limit ${temperature} °C`, at: temperature };
  return out;
}
