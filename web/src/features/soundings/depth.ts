import type { Schemas } from '../../api/client';
import { num, signed } from '../../ui/format';

type Axis = Pick<Schemas['Soundings'], 'unit' | 'zero' | 'per'>;

/** The setting at a depth, as boards show it: an offset with its sign, or what the setting itself is. */
export function setting(at: Axis, depth: number): string {
  if (at.unit === 'steps' || at.unit === 'mV') return signed(depth * at.per);
  const digits = at.unit === 'V' ? ((at.per * 1000) % 1 ? 4 : 3) : at.unit === 'mΩ' ? 2 : 0;
  return num(at.zero + depth * at.per, digits);
}

/** The same, with its unit. */
export const settingWithUnit = (at: Axis, depth: number): string =>
  at.unit === 'steps' ? setting(at, depth) : `${setting(at, depth)} ${at.unit}`;

/** The regimes in the order of their places within a column, with what each is called. */
const regimes = [
  { regime: 'memory', word: 'memory' },
  { regime: 'heavy', word: 'heavy' },
  { regime: 'light', word: 'single core' },
  { regime: 'transition', word: 'rise and fall' },
  { regime: 'idle', word: 'idle' },
];

/** Those that are looked into. */
export const lanes = (at: Pick<Schemas['Soundings'], 'cores'>) =>
  regimes.filter((r) => at.cores[0]?.limits.some((l) => l.regime === r.regime));

/** Whether enough is known to recommend anything: what is no core would be told to go slower else, whatever it stands. */
export const recommends = (at: Pick<Schemas['Soundings'], 'thing' | 'at'>) => !at.thing || (at.at?.known ?? false);

/** What the chance of a fault a day is tinted with: from which on each stands, the likeliest first. */
export const tints = [
  { from: 0.1, fill: 'var(--tint-4)' },
  { from: 0.01, fill: 'var(--tint-3)' },
  { from: 0.001, fill: 'var(--tint-2)' },
  { from: 0, fill: 'var(--tint-1)' },
];

/** What is written on a drawing stands clear of its lines. */
export const clear = { paintOrder: 'stroke' as const, stroke: 'var(--paper)', strokeWidth: 3, strokeOpacity: 0.75 };

/** How long something held, in little room: minutes, or hours once these have three figures. */
export function held(minutes: number): string {
  if (minutes < 0.95) return '·';
  return minutes < 99.5 ? num(minutes) : `${num(minutes / 60)}h`;
}
