import type { Trim } from '../api/client';

export interface Waypoint {
  trim: Trim;
  x: number;
  /** 0 is the main course; 1 is above it, where somebody went and came back. */
  lane: number;
}

/**
 * Plots trims as a course: left to right by number. The way that leads to the trim in force (or, without one, to the
 * newest) is the main course; everything else branches off it.
 */
export function plot(trims: Trim[], step: number): Waypoint[] {
  const byId = new Map(trims.map((t) => [t.id, t]));
  const main = new Set<number>();
  const newest = trims.findLast((t) => t.standing !== 'failed' && t.standing !== 'draft');
  let at: Trim | undefined = trims.find((t) => t.inForce) ?? newest;
  while (at) {
    main.add(at.id);
    at = at.parent == null ? undefined : byId.get(at.parent);
  }
  // A trim that goes on from the end of the main course without having failed belongs to it too.
  for (const t of trims) {
    const last = [...main].reduce((a, id) => Math.max(a, byId.get(id)?.number ?? 0), 0);
    if (t.parent != null && byId.get(t.parent)?.number === last && t.number > last && t.standing !== 'failed')
      main.add(t.id);
  }
  return trims.map((trim, i) => ({ trim, x: 60 + i * step, lane: main.has(trim.id) ? 0 : 1 }));
}
