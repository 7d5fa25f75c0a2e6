import { infiniteQueryOptions, keepPreviousData, queryOptions, skipToken, useQuery } from '@tanstack/react-query';
import { api, type Rig, type Schemas, type Settings, type Trial, take } from './client';

const path = (rig: number) => ({ params: { path: { rig } } });

export const rigsQuery = queryOptions({ queryKey: ['rigs'], queryFn: () => take(api.GET('/api/rigs')) });

/** One rig, out of the list that every sheet shares. */
export function useRig(id: number): Rig | undefined {
  return useQuery({ ...rigsQuery, select: (rigs) => rigs.find((r) => r.id === id) }).data;
}

/** What is recorded, and what goes if samples are kept for so many months. */
export const recordsQuery = (keepMonths?: number) =>
  queryOptions({
    queryKey: ['records', keepMonths],
    staleTime: 0,
    queryFn: () => take(api.GET('/api/records', { params: { query: { keepMonths } } })),
  });

export const removalQuery = (rig: number) =>
  queryOptions({
    queryKey: ['removal', rig],
    staleTime: 0,
    queryFn: () => take(api.GET('/api/rigs/{rig}/removal', path(rig))),
  });

export const baselineQuery = (rig: number) =>
  queryOptions({
    queryKey: ['baseline', rig],
    queryFn: () => take(api.GET('/api/rigs/{rig}/baseline', path(rig))),
  });

/** The newest figures of a rig, as the last beat told them. */
export interface Vitals {
  rig: number;
  seq: number;
  vitals: Schemas['Vital'][];
}

/** The vitals of a rig: live events fill them in, nothing asks for them. */
export const vitalsQuery = (rig: number) =>
  queryOptions<Vitals>({ queryKey: ['vitals', rig], queryFn: skipToken, staleTime: Number.POSITIVE_INFINITY });

export const trimsQuery = (rig: number) =>
  queryOptions({ queryKey: ['trims', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/trims', path(rig))) });

export const settingsQuery = (rig: number) =>
  queryOptions({
    queryKey: ['settings', rig],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => take(api.GET('/api/rigs/{rig}/settings', path(rig))),
  });

export const checkQuery = (rig: number, parent: number | null, settings: Settings) =>
  queryOptions({
    queryKey: ['check', rig, parent, settings],
    queryFn: () => take(api.POST('/api/rigs/{rig}/check', { ...path(rig), body: { parent, settings } })),
    placeholderData: (before) => before,
  });

export const drawingsQuery = (rig: number, parent: number | null, settings: Settings) =>
  queryOptions({
    queryKey: ['drawings', rig, parent, settings],
    queryFn: () => take(api.POST('/api/rigs/{rig}/drawings', { ...path(rig), body: { parent, settings } })),
    placeholderData: (before) => before,
  });

export const outcomeQuery = (trim: number) =>
  queryOptions({
    queryKey: ['trials', 'outcome', trim],
    queryFn: () => take(api.GET('/api/trims/{trim}/outcome', { params: { path: { trim } } })),
  });

export const cardQuery = (trim: number, full: boolean) =>
  queryOptions({
    queryKey: ['trims', 'card', trim, full],
    queryFn: () => take(api.GET('/api/trims/{trim}/card', { params: { path: { trim }, query: { full } } })),
    placeholderData: (before) => before,
  });

/** How deep each core goes, beside a trim's settings, at a risk, or with other depths than the trim's. */
export const soundingsQuery = (rig: number, trim?: number, what?: string, risk?: number, keel?: number[]) =>
  queryOptions({
    queryKey: ['soundings', rig, trim, what, risk, keel],
    queryFn: () =>
      take(api.GET('/api/rigs/{rig}/soundings', { params: { path: { rig }, query: { trim, what, risk, keel } } })),
    placeholderData: (before) => before,
  });

/** What is wished of a machine's cooling: ceilings in °C by load, and whether the fan may stand. */
export interface CoolingAsk {
  idle?: number;
  light?: number;
  mixed?: number;
  heavy?: number;
  stands?: boolean;
}

export const coolingQuery = (rig: number, trim: number | undefined, ask: CoolingAsk) =>
  queryOptions({
    queryKey: ['cooling', rig, trim, ask],
    queryFn: () => take(api.GET('/api/rigs/{rig}/cooling', { params: { path: { rig }, query: { trim, ...ask } } })),
    placeholderData: (before) => before,
  });

export const drawnQuery = (
  rig: number,
  trim: number | undefined,
  ask: CoolingAsk,
  drawn: Schemas['DrawnCurve'] | undefined,
) =>
  queryOptions({
    queryKey: ['cooling', 'drawn', rig, trim, ask, drawn],
    queryFn: drawn
      ? () =>
          take(api.POST('/api/rigs/{rig}/cooling', { params: { path: { rig }, query: { trim, ...ask } }, body: drawn }))
      : skipToken,
    placeholderData: (before) => before,
  });

export const surveyableQuery = (rig: number, trim?: number) =>
  queryOptions({
    queryKey: ['surveyable', rig, trim],
    queryFn: () => take(api.GET('/api/rigs/{rig}/surveyable', { params: { path: { rig }, query: { trim } } })),
  });

export const pilotsQuery = (rig: number) =>
  queryOptions({ queryKey: ['pilots', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/pilots', path(rig))) });

/** What the sheets of each kind hold: it changes with the program alone. */
export const partFormsQuery = queryOptions({
  queryKey: ['part-forms'],
  queryFn: () => take(api.GET('/api/part-forms')),
  staleTime: Number.POSITIVE_INFINITY,
});

/** The faults and drawings of a sheet that is being written; those before stay until the new ones are there. */
export const partCheckQuery = (kind: 'processor' | 'board' | 'cooler' | 'memory', sheet: { [name: string]: unknown }) =>
  queryOptions({
    queryKey: ['part-check', kind, sheet],
    queryFn: () => take(api.POST('/api/part-check/{kind}', { params: { path: { kind } }, body: sheet })),
    placeholderData: keepPreviousData,
  });

/** What a rig's machine tells of its parts, and what the rig's sheets say otherwise. */
export const toldQuery = (rig: number) =>
  queryOptions({ queryKey: ['told', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/told', path(rig))) });

/** How far a rig is measured up; null where its sheets were entered. */
export const measuringQuery = (rig: number) =>
  queryOptions({ queryKey: ['measuring', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/measuring', path(rig))) });

export const partsQuery = queryOptions({ queryKey: ['parts'], queryFn: () => take(api.GET('/api/parts')) });

export const fittingsQuery = (rig: number) =>
  queryOptions({ queryKey: ['fittings', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/fittings', path(rig))) });

/** The trials of a rig, newest first, page by page: their numbers count down to 1. */
export const trialsQuery = (rig: number) =>
  infiniteQueryOptions({
    queryKey: ['trials', rig],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) =>
      take(api.GET('/api/rigs/{rig}/trials', { params: { path: { rig }, query: { before: pageParam } } })),
    getNextPageParam: (last) => ((last.at(-1)?.number ?? 1) > 1 ? last.at(-1)?.number : undefined),
    select: (data) => data.pages.flat(),
  });

/** A trial; while it runs on a rig, each beat of that rig's figures asks for it again. */
export const trialQuery = (trial: number, live?: number) =>
  queryOptions({
    queryKey: ['trials', 'one', trial],
    meta: { live },
    queryFn: () => take(api.GET('/api/trials/{trial}', { params: { path: { trial } } })),
  });

/** A part of a trial's axis, in seconds. */
export interface View {
  from: number;
  to: number;
}

/** The channels that a trial's sheet draws. */
const drawn = [
  'clock.effective.mean',
  'clock.effective.lowest',
  'clock.effective.cluster.*',
  'voltage.core.*',
  'power.package',
  'power.wall',
  'temperature.package',
  'temperature.coolant',
  'temperature.vrm',
  'temperature.above',
  'temperature.core.*',
  'speed.fan.*',
  'duty.fan.*',
  'rate.*',
  'load.*',
  'limiter',
  'log.*',
];

/** The rig on which a trial runs; none once it has ended. */
export const liveOn = (trial?: Trial) => (trial && !trial.ended ? trial.rig : undefined);

/** The figures of a trial, of all of it when no view is given; of one that runs on a rig, anew with each beat. */
export const telemetryQuery = (trial: number, view?: View, live?: number) =>
  queryOptions({
    queryKey: ['telemetry', trial, view],
    meta: { live },
    queryFn: () =>
      take(
        api.GET('/api/trials/{trial}/telemetry', {
          params: {
            path: { trial },
            query: { buckets: 360, keys: drawn, meansOnly: true, fromS: view?.from, toS: view?.to },
          },
        }),
      ),
    placeholderData: (before) => before,
  });

export const logsQuery = (trial: number) =>
  queryOptions({
    queryKey: ['trials', 'logs', trial],
    queryFn: () => take(api.GET('/api/trials/{trial}/logs', { params: { path: { trial } } })),
  });

export const laddersQuery = (cores: number) =>
  queryOptions({
    queryKey: ['ladders', cores],
    queryFn: () => take(api.GET('/api/ladders', { params: { query: { cores } } })),
  });

export const loadsQuery = queryOptions({
  queryKey: ['loads'],
  staleTime: Number.POSITIVE_INFINITY,
  queryFn: () => take(api.GET('/api/loads')),
});

const logPage = 200;

/** The log of a rig, page by page. */
export const logQuery = (rig: number) =>
  infiniteQueryOptions({
    queryKey: ['log', rig],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) =>
      take(api.GET('/api/rigs/{rig}/log', { params: { path: { rig }, query: { before: pageParam } } })),
    getNextPageParam: (last) => (last.length >= logPage / 2 ? last.at(-1)?.at : undefined),
  });

export const watchesQuery = (rig: number) =>
  queryOptions({ queryKey: ['watches', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/watches', path(rig))) });

export const correctionsQuery = (rig: number) =>
  queryOptions({
    queryKey: ['trials', 'corrections', rig],
    queryFn: () => take(api.GET('/api/rigs/{rig}/corrections', path(rig))),
  });

export const channelsQuery = (rig: number) =>
  queryOptions({ queryKey: ['channels', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/channels', path(rig))) });

export const watchableQuery = (rig: number) =>
  queryOptions({ queryKey: ['watchable', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/watchable', path(rig))) });

export const yardsticksQuery = queryOptions({
  queryKey: ['yardsticks'],
  queryFn: () => take(api.GET('/api/yardsticks')),
});

export const scoresQuery = (rig: number) =>
  queryOptions({ queryKey: ['scores', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/scores', path(rig))) });

export const sessionsQuery = (rig: number) =>
  queryOptions({ queryKey: ['sessions', rig], queryFn: () => take(api.GET('/api/rigs/{rig}/sessions', path(rig))) });

/** Two to four trims side by side, the first of them the base. */
export const comparisonQuery = (trim: number[]) =>
  queryOptions({
    queryKey: ['comparison', trim],
    queryFn: () => take(api.GET('/api/comparison', { params: { query: { trim } } })),
    placeholderData: (before) => before,
  });

/** The channels that are overlaid of several configurations. */
const overlaid = [
  'power.package',
  'power.wall',
  'temperature.above',
  'clock.effective.mean',
  'voltage.core.delivered',
  'speed.fan.1',
];

/** The figures of a leg that is overlaid with others, of which all are as long. */
export const overlaidQuery = (trial: number, view: View) =>
  queryOptions({
    queryKey: ['telemetry', 'overlaid', trial, view],
    queryFn: () =>
      take(
        api.GET('/api/trials/{trial}/telemetry', {
          params: {
            path: { trial },
            query: { buckets: 360, keys: overlaid, meansOnly: true, fromS: view.from, toS: view.to },
          },
        }),
      ),
  });

/** Days and prices that somebody tries; what is missing goes by the workshop's. */
export interface EnergyAsk {
  idle?: number;
  light?: number;
  mixed?: number;
  heavy?: number;
  perKWh?: number;
  cost?: number;
}

/** What trims draw and cost in a year, the first of them the base. */
export const energyQuery = (trim: number[], ask: EnergyAsk) =>
  queryOptions({
    queryKey: ['comparison', 'energy', trim, ask],
    queryFn: () => take(api.GET('/api/comparison/energy', { params: { query: { trim, ...ask } } })),
    placeholderData: (before) => before,
  });

/** Every rig with what it won and needs; asked again while some of it is being worked out. */
export const batchesQuery = queryOptions({
  queryKey: ['batches'],
  queryFn: () => take(api.GET('/api/batches')),
  refetchInterval: (query) => (query.state.data?.some((b) => !b.ended) ? 2000 : false),
});

/** Rigs of a kind side by side; known is how many rigs of the fleet have been worked out, with each of which it is asked anew. */
export const kinQuery = (known: number) =>
  queryOptions({
    queryKey: ['fleet', 'kin', known],
    queryFn: () => take(api.GET('/api/kin')),
    placeholderData: (before) => before,
  });

export const linkingQuery = (rig: number) =>
  queryOptions({
    queryKey: ['rigs', 'linking', rig],
    queryFn: () => take(api.GET('/api/rigs/{rig}/link-code', path(rig))),
  });

export const startQuery = (rig: number) =>
  queryOptions({
    queryKey: ['fleet', 'start', rig],
    queryFn: () => take(api.GET('/api/rigs/{rig}/start', { params: { path: { rig } } })),
  });

export const fleetQuery = queryOptions({
  queryKey: ['fleet'],
  queryFn: () => take(api.GET('/api/fleet')),
  refetchInterval: (query) => (query.state.data?.some((line) => line.stale) ? 1000 : false),
});

export const blameQuery = (trim: number) =>
  queryOptions({
    queryKey: ['trims', 'blame', trim],
    queryFn: () => take(api.GET('/api/trims/{trim}/blame', { params: { path: { trim } } })),
  });

/** Trims of all rigs that hold some words. */
export const findQuery = (words: string) =>
  queryOptions({
    queryKey: ['trims', 'found', words],
    queryFn: () => take(api.GET('/api/find', { params: { query: { words } } })),
    placeholderData: (before) => before,
  });

export const workshopQuery = queryOptions({
  queryKey: ['workshop'],
  queryFn: () => take(api.GET('/api/workshop')),
});

export const goalsQuery = queryOptions({
  queryKey: ['goals'],
  staleTime: Number.POSITIVE_INFINITY,
  queryFn: () => take(api.GET('/api/goals')),
});

/** What a whole tuning is asked for. */
export interface TuningAsk {
  goal: string;
  trim: number;
  minutes: number;
  risk: number;
  clears: number;
  abortC?: number;
  watts?: number;
  volts?: number;
  leave: string[];
}

/** A tuning as a pilot would carry it out. */
export const tuningQuery = (rig: number, ask: TuningAsk) =>
  queryOptions({
    queryKey: ['tuning', rig, ask],
    queryFn: () => take(api.GET('/api/rigs/{rig}/tuning', { params: { path: { rig }, query: ask } })),
    placeholderData: (before) => before,
  });
