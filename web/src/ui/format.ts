import type { Value } from '../api/client';

const minus = '\u2212';

/** A number with fixed decimals, a true minus sign, and thin spaces between thousands. */
export function num(x: number, decimals = 0): string {
  const [whole = '', fraction] = Math.abs(x).toFixed(decimals).split('.');
  const grouped = whole.replace(/\B(?=(\d{3})+$)/g, '\u2009');
  const zero = Number(x.toFixed(decimals)) === 0;
  return (x < 0 && !zero ? minus : '') + grouped + (fraction ? `.${fraction}` : '');
}

/** So many of something. */
export const count = (n: number, one: string, several = 's'): string => `${num(n)} ${one}${n === 1 ? '' : several}`;

/** Like num, always with a sign; zero has none. */
export function signed(x: number, decimals = 0): string {
  return (Number(x.toFixed(decimals)) > 0 ? '+' : '') + num(x, decimals);
}

/** Decimals that a unit is shown with. */
export function decimalsOf(unit: string): number {
  if (unit === 'V') return 3;
  if (unit === '°C' || unit === 'W' || unit === 'A' || unit === 'K') return 1;
  if (unit === 'pt/W' || unit === 'ms' || unit === 's') return 2;
  if (unit === 'ns' || unit === 'GB/s') return 1;
  return 0;
}

/** A span of time as m:ss, from an hour on as h:mm:ss. */
export function span(seconds: number): string {
  const s = Math.max(0, Math.round(seconds));
  const two = (n: number) => String(n).padStart(2, '0');
  if (s >= 3600) return `${Math.floor(s / 3600)}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}`;
  return `${Math.floor(s / 60)}:${two(s % 60)}`;
}

/** A span of time for planning: minutes up to two hours, then hours. */
export function roughly(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 7200) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1).replace('.0', '')} h`;
}

/** As many decimals as a number has, three at most; voltages always have three. */
const places = (v: number, unit: string) =>
  unit === 'V' ? 3 : Math.min(3, String(Math.abs(v)).split('.')[1]?.length ?? 0);

/** A setting's value for reading. */
export function value(v: Value | undefined, isSigned = false, unit = ''): string {
  if (v === null || v === undefined) return '–';
  if (typeof v === 'boolean') return v ? 'on' : 'off';
  if (typeof v === 'number') return isSigned ? signed(v, places(v, unit)) : num(v, places(v, unit));
  return v;
}

/** Day and time of a moment on a rig's clock. */
export function moment(iso: string): string {
  const d = new Date(iso);
  const day = d.toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' });
  return `${day}, ${d.toISOString().slice(11, 16)}`;
}

/** The time of a moment on a rig's clock, without its day. */
export const timeOfDay = (iso: string): string => new Date(iso).toISOString().slice(11, 16);

/** What the loads are called. */
export const loadNames: Record<string, string> = {
  heavy: 'Heavy vector',
  mixed: 'Mixed',
  transform: 'Cached transform',
  'transform-large': 'Large transform',
  integer: 'Integer and branches',
  memory: 'Memory patterns',
  light: 'Single cores in turn',
  transition: 'Rise and fall',
  idle: 'Idle watch',
};

/** "T3", or "stock" for T0. */
export function trimName(trim: { number: number; name: string }): string {
  return trim.number === 0 ? trim.name : `T${trim.number}`;
}

/** A yardstick's name as short as it can be told among its fellows. */
export function yardstickWord(name: string): string {
  const word = name.replace(/^(All-core|Memory) /, '').replace(/ (throughput|time|under load|power)$/, '');
  return word.charAt(0).toUpperCase() + word.slice(1);
}

const localParts = (iso: string) =>
  new Date(new Date(iso).getTime() - new Date(iso).getTimezoneOffset() * 60_000).toISOString();

/** The day of a moment where the page is read: what people did goes by their clocks, not by a rig's. */
export const dayOf = (iso: string): string => localParts(iso).slice(0, 10);

/** An amount of data, in decimal units. */
export function bytes(n: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB'];
  const at = n < 1 ? 0 : Math.min(units.length - 1, Math.floor(Math.log10(n) / 3));
  const x = n / 1000 ** at;
  return `${num(x, at === 0 || x >= 100 ? 0 : 1)} ${units[at]}`;
}

/** A month such as 2026-11 in words. */
export const monthOf = (month: string): string =>
  new Date(`${month}-01T00:00:00Z`).toLocaleDateString('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' });

/** The time of day where the page is read. */
export const clockTime = (iso: string): string => localParts(iso).slice(11, 16);
