import { type QueryClient, useQueryClient } from '@tanstack/react-query';
import { useEffect, useSyncExternalStore } from 'react';
import { meQuery } from './me';
import { type Vitals, vitalsQuery } from './queries';
import { staleBy } from './stale';

interface News {
  topic: string;
  rig: number;
  id?: number;
  /** Of a beat: the newest figures of the rigs that told some. */
  data?: { rigs: Vitals[] };
}

let connected = true;
const watchers = new Set<() => void>();

function setConnected(now: boolean) {
  if (connected === now) return;
  connected = now;
  for (const tell of watchers) tell();
}

const watch = (tell: () => void) => {
  watchers.add(tell);
  return () => watchers.delete(tell);
};

/** Whether the stream of live events is up. */
export function useConnected(): boolean {
  return useSyncExternalStore(watch, () => connected);
}

let trouble = '';

function setTrouble(now: string) {
  if (trouble === now) return;
  trouble = now;
  for (const tell of watchers) tell();
}

/** What keeps the server from its work, in words; empty while nothing does. */
export const useTrouble = (): string => useSyncExternalStore(watch, () => trouble);

/** Takes in a beat: figures are shown as they came, and only what draws a trial that runs on one of the rigs asks again. */
function beat(queries: QueryClient, rigs: Vitals[]) {
  for (const one of rigs) queries.setQueryData(vitalsQuery(one.rig).queryKey, one);
  const told = new Set(rigs.map((r) => r.rig));
  void queries.invalidateQueries({ predicate: (q) => told.has(q.meta?.live as number) }, { cancelRefetch: false });
}

const gatherMs = 60;
const catchUpMs = 2500;
const reopenMs = 3000;

function follow(queries: QueryClient): () => void {
  const due = new Set<string>();
  let timer: ReturnType<typeof setTimeout> | undefined;
  const flush = () => {
    timer = undefined;
    for (const key of due) void queries.invalidateQueries({ queryKey: [key] });
    due.clear();
  };
  let source: EventSource;
  let opened = false;
  let catchUp: ReturnType<typeof setTimeout> | undefined;
  let reopen: ReturnType<typeof setTimeout> | undefined;
  const open = () => {
    source = new EventSource('/api/events');
    listen(source);
  };
  const listen = (source: EventSource) => {
    source.onopen = () => {
      setConnected(true);
      setTrouble(''); // it is told anew where there is any
      // What happened before the stream was up is caught up with; at the page's start that can wait until it is drawn.
      clearTimeout(catchUp);
      catchUp = setTimeout(() => void queries.invalidateQueries(), opened ? 0 : catchUpMs);
      opened = true;
    };
    source.onerror = () => {
      setConnected(false);
      if (source.readyState !== EventSource.CLOSED) return; // it links again by itself
      void queries.invalidateQueries({ queryKey: meQuery.queryKey });
      reopen = setTimeout(open, reopenMs);
    };
    source.onmessage = (event) => {
      const news = JSON.parse(event.data as string) as News;
      if (news.topic === 'all') {
        void queries.invalidateQueries();
        return;
      }
      if (news.topic === 'trouble') {
        setTrouble((news.data as unknown as { why: string }).why);
        return;
      }
      if (news.topic === 'vitals') {
        beat(queries, news.data?.rigs ?? []);
        return;
      }
      for (const key of staleBy([news.topic])) due.add(key);
      timer ??= setTimeout(flush, gatherMs);
    };
  };
  open();
  return () => {
    source.close();
    clearTimeout(reopen);
    clearTimeout(timer);
    clearTimeout(catchUp);
  };
}

/** Keeps every query fresh while the page is open. */
export function useLive() {
  const queries = useQueryClient();
  useEffect(() => follow(queries), [queries]);
}
