import type { QueryClient } from '@tanstack/react-query';

/** What can change on a bench: the topics of news, and what pages change themselves. */
export type Topic =
  | 'rig'
  | 'trim'
  | 'fitting'
  | 'trial'
  | 'pilot'
  | 'watch'
  | 'correction'
  | 'part'
  | 'score'
  | 'incident'
  | 'ladder'
  | 'account'
  | 'record'
  | 'workshop'
  | 'batch';

/** The queries that each of them makes stale. News and this page's own changes go by the same table. */
const stale: Record<Topic, string[]> = {
  rig: ['rigs', 'fleet', 'baseline', 'check', 'drawings', 'cooling', 'told', 'measuring'],
  trim: ['trims', 'rigs', 'fleet', 'comparison', 'scores', 'log', 'soundings', 'tuning', 'cooling'],
  fitting: ['fittings', 'rigs', 'fleet', 'trims', 'log', 'surveyable'],
  trial: [
    'measuring',
    'trials',
    'batches',
    'rigs',
    'fleet',
    'telemetry',
    'scores',
    'sessions',
    'comparison',
    'log',
    'soundings',
    'tuning',
    'cooling',
  ],
  pilot: ['pilots', 'soundings', 'rigs', 'log'],
  watch: ['watches', 'rigs', 'fleet', 'log'],
  correction: ['corrections', 'telemetry', 'trials', 'check', 'scores', 'comparison', 'baseline'],
  part: ['parts', 'rigs', 'told', 'measuring', 'baseline', 'settings', 'check', 'drawings', 'surveyable', 'cooling'],
  score: ['scores', 'fleet', 'comparison', 'trims', 'yardsticks'],
  incident: ['incidents', 'trims', 'rigs', 'log', 'soundings'],
  ladder: ['ladders'],
  account: ['accounts', 'me'],
  record: ['records'],
  batch: ['batches'],
  workshop: ['workshop', 'comparison', 'cooling'],
};

/** The keys of the queries that topics make stale. */
export const staleBy = (topics: string[]): string[] => topics.flatMap((t) => stale[t as Topic] ?? []);

/** Asks again for what topics make stale, as far as it is on the page. */
export async function refresh(queries: QueryClient, topics: Topic[]): Promise<void> {
  await Promise.all([...new Set(staleBy(topics))].map((key) => queries.invalidateQueries({ queryKey: [key] })));
}

declare module '@tanstack/react-query' {
  interface Register {
    /** What a change touches: it is asked for again once the change is made. */
    mutationMeta: { touches: Topic[] };
    /** The rig whose beats ask for a query again. */
    queryMeta: { live?: number };
  }
}
