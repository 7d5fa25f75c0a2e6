import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useEffect, useMemo, useRef, useState } from 'react';
import type { Schemas, Trial } from '../../api/client';
import { liveOn, telemetryQuery, type View } from '../../api/queries';
import { decimalsOf } from '../../ui/format';
import { CoreStrip, LimiterRibbon } from './ribbon';
import { type Line, Strip, TimeRuler } from './strip';
import { type Extra, extraKeys, extras, useZoomKeys, ViewBar, within } from './view-bar';

type Channel = Schemas['ChannelSeries'];
type Telemetry = Schemas['Telemetry'];

/** The strips of a trial over one time axis, while it runs and afterwards. */
export function Strips({ trial, others, children }: { trial: Trial; others: Trial[]; children: ReactNode }) {
  const [chosen, setChosen] = useState<View>();
  const [above, setAbove] = useState(false);
  const [more, setMore] = useState<Extra[]>([]);
  const [overlaid, setOverlaid] = useState<number>();
  const { data } = useQuery(telemetryQuery(trial.id, chosen, liveOn(trial)));
  const length = Math.max(data?.lengthS ?? 0, trial.ended ? 0 : trial.lengthS, 1);
  const view = chosen ?? { from: 0, to: length };
  const overlay = useQuery({ ...telemetryQuery(overlaid ?? 0, view), enabled: overlaid !== undefined });
  const look = (next?: View) => setChosen(next && within(next, length));
  useZoomKeys(view, length, look);
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
  const under = overlaid === undefined ? undefined : overlay.data;
  const swept = trial.purpose === 'sweep';
  const strips = useMemo(() => {
    const told = (data?.channels ?? []).map((c) => withGaps(c, data?.bucketS ?? 1));
    return swept ? sweepStrips(told) : build(told, above, more, under, data);
  }, [data, above, more, under, swept]);
  const can = extras.filter((e) => data?.channels.some((c) => c.key.startsWith(extraKeys[e])));
  const hasAbove = data?.channels.some((c) => c.key === 'temperature.above') ?? false;
  const { width } = size;
  const cores = swept ? 0 : (data?.channels.filter((c) => c.key.startsWith('temperature.core.')).length ?? 0) || 2;
  const height = Math.max(58, Math.floor((size.height - 110 - cores * 9) / Math.max(3, strips.length)) - 17);
  return (
    <div
      ref={host}
      className="min-h-0 flex-1 overflow-x-hidden overflow-y-auto"
      data-strips={data?.channels.length ?? 0}
    >
      {data && data.channels.length === 0 && (
        <p className="text-soft">No figures yet: they come in once the first leg has begun.</p>
      )}
      {data && width > 0 && data.channels.length > 0 && (
        <>
          <ViewBar
            trial={trial.id}
            whole={!trial.droppedAt}
            view={view}
            length={length}
            zoomed={chosen !== undefined}
            onView={look}
            above={hasAbove && !swept ? above : undefined}
            onAbove={setAbove}
            can={swept ? [] : can}
            more={more}
            onMore={setMore}
            others={others}
            overlaid={overlaid}
            onOverlay={setOverlaid}
          >
            {children}
          </ViewBar>
          {strips.map((s, i) => (
            <div key={s.title}>
              <Strip
                {...s}
                limit={data.bounds.find((b) => b.channel === s.channel)}
                trial={trial}
                width={width}
                height={height}
                view={view}
                onView={look}
              />
              {i === 0 && !swept && <LimiterRibbon telemetry={data} view={view} width={width} />}
            </div>
          ))}
          {!swept && <CoreStrip telemetry={data} view={view} width={width} failed={trial.core} />}
          <TimeRuler view={view} width={width} />
        </>
      )}
    </div>
  );
}

/** Looks of the lines of clusters, in their order. */
const clusterLooks: Line['look'][] = ['main', 'dashed', 'thin'];

interface StripData {
  /** Key of its main channel. */
  channel: string;
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

/** What a sweep of a header is looked at for: which speeds follow which duty, and how warm it gets. */
function sweepStrips(channels: Channel[]): StripData[] {
  const strip = (title: string, prefix: string): StripData[] => {
    const list = channels.filter((c) => c.key.startsWith(prefix));
    const first = list[0];
    if (!first) return [];
    const lines = list.map(
      (c, i): Line => ({
        label: c.label.toLowerCase(),
        look: clusterLooks[i] ?? 'thin',
        values: onAxis(c, first.t),
      }),
    );
    return [{ channel: first.key, title, unit: first.unit, decimals: 0, times: first.t, lines }];
  };
  return [...strip('Speed', 'speed.'), ...strip('Duty', 'duty.'), ...strip('Temperature', 'temperature.package')];
}

/** The strips that the rig's channels allow, in their order. */
function build(channels: Channel[], above: boolean, more: Extra[], under?: Telemetry, axis?: Telemetry): StripData[] {
  const byKey = (key: string) => channels.find((c) => c.key === key);
  const out: StripData[] = [];
  const add = (title: string, decimals: number, list: [Channel | undefined, string, Line['look']][]) => {
    const known = list.filter((x): x is [Channel, string, Line['look']] => x[0] !== undefined);
    const first = known[0]?.[0];
    if (!first) return;
    const lines: Line[] = known.map(([c, label, look]) => ({ label, look, values: onAxis(c, first.t) }));
    const other = under?.channels.find((c) => c.key === first.key);
    if (other && axis) lines.push({ label: 'the other trial', look: 'under', values: beneath(other, first.t, axis) });
    out.push({ channel: first.key, title, unit: first.unit, decimals, times: first.t, lines });
  };
  const clusters = channels.filter((c) => c.key.startsWith('clock.effective.cluster.'));
  if (clusters.length > 1)
    add(
      'Clock',
      0,
      clusters.map((c, i) => [c, c.label.replace(/^Effective clock, /, ''), clusterLooks[i] ?? 'thin']),
    );
  else
    add('Clock', 0, [
      [byKey('clock.effective.mean'), 'effective, mean of the cores awake', 'main'],
      [byKey('clock.effective.lowest'), 'lowest', 'thin'],
    ]);
  add('Core voltage', 3, [
    [byKey('voltage.core.delivered'), 'delivered', 'main'],
    [byKey('voltage.core.requested'), 'requested', 'dashed'],
  ]);
  add('Package power', 0, [[byKey('power.package'), 'package', 'main']]);
  if (more.includes('wall')) add('Wall power', 0, [[byKey('power.wall'), 'whole machine', 'main']]);
  if (above && byKey('temperature.above')) {
    add('Above ambient', 1, [[byKey('temperature.above'), 'hottest core', 'main']]);
  } else
    add('Temperature', 0, [
      [byKey('temperature.package'), 'hottest core', 'main'],
      [byKey('temperature.coolant'), 'coolant', 'thin'],
    ]);
  if (more.includes('VRM')) add('VRM', 0, [[byKey('temperature.vrm'), 'voltage converter', 'main']]);
  if (more.includes('fan')) {
    const fans = channels.filter((c) => c.key.startsWith('speed.fan.'));
    add(
      'Fan',
      0,
      fans.map((c, i) => [c, c.label.toLowerCase(), i === 0 ? 'main' : 'thin']),
    );
  }
  add('Rate', 1, [[byKey('rate.mean'), 'mean of the cores', 'main']]);
  add('Load', 0, [[byKey('load.mean'), 'mean of the cores', 'main']]);
  const logged = channels.filter((c) => c.key.startsWith('log.'));
  for (const unit of new Set(logged.map((c) => c.unit))) {
    const own = logged.filter((c) => c.unit === unit);
    add(
      `Log, ${own[0]?.quantity === 'other' ? unit || 'no unit' : own[0]?.quantity}`,
      decimalsOf(unit),
      own.map((c, i) => [c, c.label, i === 0 ? 'main' : 'thin']),
    );
  }
  return out;
}

/** Another trial's figures at the same times since its own start, to the nearest bucket. */
function beneath(c: Channel, times: number[], axis: Telemetry): (number | null)[] {
  const place = (t: number) => Math.round((t - axis.fromS) / axis.bucketS);
  const at = new Map(c.t.map((t, i) => [place(t), c.mean[i]]));
  return times.map((t) => orNull(at.get(place(t))));
}

function onAxis(c: Channel, times: number[]): (number | null)[] {
  if (c.t.length === times.length) return c.mean.map(orNull);
  const at = new Map(c.t.map((t, i) => [t, c.mean[i]]));
  return times.map((t) => orNull(at.get(t)));
}
