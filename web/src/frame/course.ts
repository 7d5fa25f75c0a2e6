import type { Trim } from '../api/client';

export interface Waypoint {
  trim: Trim;
  /** The first of the series of like steps that it stands for, and how many they are; itself and 1 for a single one. */
  first: Trim;
  count: number;
  x: number;
  /** 0 is the main course; those above it are where somebody went and came back. */
  lane: number;
  /** How wide its caption may be, in pixels. */
  room: number;
}

/** Lanes beside the main course. */
const lanes = 2;

/** How many like steps in a row are folded into one waypoint. */
const leastSeries = 3;

/** The widest caption of a branch, and what a mark and its gap take of a lane. */
const widest = 260;
const markRoom = 26;

/**
 * Plots trims as a course: left to right by number. The way that leads to the trim in force (or, without one, to the
 * newest) is the main course; everything else branches off it, on the first lane that is free. Like steps that follow on
 * each other are folded into one waypoint, unless it is opened, or one of them is shown: a failed one always stays.
 */
export function plot(trims: Trim[], step: number, opened: ReadonlySet<number>, shown?: number): Waypoint[] {
  const main = mainCourse(trims);
  const points: Waypoint[] = [];
  const byTrim = new Map<number, Waypoint>();
  for (const series of folded(trims, main, opened, shown)) {
    const [first, trim] = [series[0], series.at(-1)];
    if (!first || !trim) continue;
    const point = { trim, first, count: series.length, x: 60 + points.length * step, lane: 0, room: step - 8 };
    points.push(point);
    for (const t of series) byTrim.set(t.id, point);
  }
  const ends = new Map<number, number>();
  for (const p of points) {
    if (main.has(p.trim.id)) continue;
    const parent = p.first.parent == null ? undefined : byTrim.get(p.first.parent);
    // A branch goes on where it is, if nothing came between.
    const goesOn = parent && parent.lane > 0 && ends.get(parent.lane) === parent.x;
    p.lane = goesOn ? parent.lane : freeLane(ends, p.x - step / 2);
    ends.set(p.lane, p.x);
  }
  for (const [i, p] of points.entries()) {
    // The caption of a branch ends where the next mark of its lane begins.
    if (p.lane === 0) continue;
    const next = points.slice(i + 1).find((q) => q.lane === p.lane);
    p.room = Math.min(widest, (next ? next.x - p.x : widest + markRoom) - markRoom);
  }
  return points;
}

/** The nearest lane whose last caption ended before a place, or else the one that ended first. */
function freeLane(ends: Map<number, number>, from: number): number {
  const end = (lane: number) => ends.get(lane) ?? Number.NEGATIVE_INFINITY;
  let earliest = 1;
  for (let lane = 1; lane <= lanes; lane++) {
    if (end(lane) + widest <= from) return lane;
    if (end(lane) < end(earliest)) earliest = lane;
  }
  return earliest;
}

function mainCourse(trims: Trim[]): Set<number> {
  const byId = new Map(trims.map((t) => [t.id, t]));
  const main = new Set<number>();
  const newest = trims.findLast((t) => t.standing !== 'failed' && t.standing !== 'draft' && t.pilot == null);
  // What a pilot tries for the moment is no way that anybody goes.
  let at: Trim | undefined = trims.find((t) => t.inForce && t.pilot == null) ?? newest;
  while (at && !main.has(at.id)) {
    main.add(at.id);
    at = at.parent == null ? undefined : byId.get(at.parent);
  }
  // A trim that goes on from the end of the main course without having failed belongs to it too.
  for (const t of trims) {
    const last = [...main].reduce((a, id) => Math.max(a, byId.get(id)?.number ?? 0), 0);
    if (
      t.parent != null &&
      byId.get(t.parent)?.number === last &&
      t.number > last &&
      t.standing !== 'failed' &&
      t.pilot == null
    )
      main.add(t.id);
  }
  return main;
}

/** What a trim changes, without its numbers: steps on the same settings are like each other. */
const kind = (t: Trim) => [...new Set(t.changes.map((c) => c.key.replace(/\d+/g, '*')))].sort().join(' ');

/** Trims in their order, each alone or as the last of a series of like steps. */
function folded(trims: Trim[], main: Set<number>, opened: ReadonlySet<number>, shown?: number): Trim[][] {
  const children = new Map<number, number>();
  for (const t of trims) if (t.parent != null) children.set(t.parent, (children.get(t.parent) ?? 0) + 1);
  const plain = (t: Trim) =>
    t.number > 0 && !t.inForce && t.id !== shown && t.profile === '' && t.standing !== 'failed';
  // What a pilot tried on its way is one waypoint, whatever came of it.
  const sounded = (t: Trim) => t.pilot != null && !t.inForce && t.id !== shown;
  const like = (a: Trim, b: Trim) =>
    kind(a) === kind(b) && main.has(a.id) === main.has(b.id) && (a.standing === 'draft') === (b.standing === 'draft');
  const out: Trim[][] = [];
  let run: Trim[] = [];
  const close = () => {
    if (run.length >= leastSeries && !opened.has(run[0]?.id ?? 0)) out.push(run);
    else for (const t of run) out.push([t]);
    run = [];
  };
  for (const t of trims) {
    const last = run[run.length - 1];
    const tried = last && sounded(t) && last.pilot === t.pilot;
    const follows = last && plain(t) && t.parent === last.id && children.get(last.id) === 1 && like(t, last);
    if (!follows && !tried) close();
    if (plain(t) || sounded(t)) run.push(t);
    else out.push([t]);
  }
  close();
  return out;
}
