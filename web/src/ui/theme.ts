import { useSyncExternalStore } from 'react';

export type Chart = 'day' | 'night';

const key = 'chart';
const watchers = new Set<() => void>();

function read(): Chart {
  return localStorage.getItem(key) === 'night' ? 'night' : 'day';
}

function show() {
  document.documentElement.dataset.chart = read();
  for (const tell of watchers) tell();
}

show();

/** Which of the two charts is shown. */
export function useChart(): Chart {
  return useSyncExternalStore((tell) => {
    watchers.add(tell);
    return () => watchers.delete(tell);
  }, read);
}

export function toggleChart() {
  localStorage.setItem(key, read() === 'night' ? 'day' : 'night');
  show();
}

/** The value of a colour of the present chart, for drawings that take no CSS variables. */
export function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
}
