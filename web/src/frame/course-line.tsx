import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { useLocation } from 'wouter';
import type { Rig, Trim } from '../api/client';
import { trimsQuery } from '../api/queries';
import { num, trimName } from '../ui/format';
import { sheetPath, useAddress } from '../ui/sheet';
import { StandingDisc } from '../ui/standing';
import { plot, type Waypoint } from './course';

const step = 118;
const mainY = 50;
const branchY = 20;

/** The bottom: the rig's trims as a plotted course. A click opens a waypoint; a drag across two compares them. */
export function CourseLine({ rig }: { rig: Rig }) {
  const trims = useQuery(trimsQuery(rig.id));
  const [, go] = useLocation();
  const from = useRef<number | null>(null);
  const points = plot(trims.data ?? [], step);
  const known = trims.data !== undefined;
  useEffect(() => {
    // The course is the last to appear: from here on the page can be worked with.
    if (known && performance.getEntriesByName('usable').length === 0) performance.mark('usable');
  }, [known]);
  const byId = new Map(points.map((p) => [p.trim.id, p]));
  const at = useAddress();
  const open = at.sheet === 'trim' ? at.id : undefined;
  // A drag from one waypoint to another compares the two, and is no click on either; all else that presses one is a click.
  const release = (to: number) => {
    const start = from.current;
    from.current = null;
    if (start !== null && start !== to) {
      const [base, trim] = [start, to].sort((a, b) => a - b);
      go(sheetPath(rig.id, 'scores', base, trim));
    }
  };
  return (
    <nav aria-label="Course of trims" className="overflow-x-auto border-t border-line [grid-area:course]">
      <div className="relative h-[98px]" style={{ width: Math.max(points.length * step + 60, 400) }}>
        <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
          {points.map((p) => {
            const parent = p.trim.parent == null ? undefined : byId.get(p.trim.parent);
            return parent && <Leg key={p.trim.id} from={parent} to={p} />;
          })}
        </svg>
        {points.map((p) => (
          <WaypointMark
            key={p.trim.id}
            point={p}
            open={String(p.trim.id) === open}
            onPress={() => {
              from.current = p.trim.id;
            }}
            onRelease={() => release(p.trim.id)}
            onShow={() => go(sheetPath(rig.id, 'trim', p.trim.id))}
          />
        ))}
        {points.length === 0 && <p className="p-4 text-soft">No trims yet: the course begins with stock.</p>}
      </div>
    </nav>
  );
}

const y = (p: Waypoint) => (p.lane === 0 ? mainY : branchY);

function Leg({ from, to }: { from: Waypoint; to: Waypoint }) {
  const branch = to.lane !== 0;
  const dash = to.trim.standing === 'draft' ? '6 4' : branch ? '2 4' : undefined;
  return (
    <line
      x1={from.x}
      y1={y(from)}
      x2={to.x}
      y2={y(to)}
      stroke="var(--ink)"
      strokeWidth={branch ? 1.2 : 1.8}
      strokeDasharray={dash}
    />
  );
}

interface MarkProps {
  point: Waypoint;
  open: boolean;
  onPress: () => void;
  onRelease: () => void;
  onShow: () => void;
}

function WaypointMark({ point, open, onPress, onRelease, onShow }: MarkProps) {
  const { trim } = point;
  const branch = point.lane !== 0;
  const label = `${trimName(trim)} ${trim.number === 0 ? '' : trim.name}`.trim();
  const below =
    trim.standing === 'failed' ? trim.summary : trim.points != null ? `${num(trim.points)} pt` : trim.summary;
  return (
    <button
      type="button"
      aria-label={[label, below, trim.inForce && 'in force', trim.standing, below !== trim.summary && trim.summary]
        .filter(Boolean)
        .join(', ')}
      aria-current={open ? 'true' : undefined}
      onPointerDown={onPress}
      onPointerUp={onRelease}
      onClick={onShow}
      className={`absolute text-left leading-tight ${branch ? 'flex items-start gap-1.5' : ''}`}
      style={branch ? { left: point.x - 9, top: branchY - 9 } : { left: point.x - 50, top: mainY - 30, width: 100 }}
    >
      <svg width={branch ? 18 : 100} height={branch ? 18 : 40} className="shrink-0 overflow-visible" aria-hidden="true">
        <g transform={branch ? 'translate(9,9)' : 'translate(50,30)'}>
          <Mark trim={trim} />
          {trim.inForce && <path d="M0,-8 V-27 h20 l-5,5 5,5 h-20" fill="var(--ink)" stroke="var(--ink)" />}
        </g>
      </svg>
      <span className={`block text-[12.5px] ${branch ? '' : '-mt-0.5 text-center'} ${open ? 'font-semibold' : ''}`}>
        <span className="block max-w-[112px] truncate">{label}</span>
        <span
          className={`num block whitespace-nowrap text-[11px] ${trim.standing === 'failed' ? 'text-caution' : 'text-soft'}`}
        >
          {below}
        </span>
      </span>
    </button>
  );
}

function Mark({ trim }: { trim: Trim }) {
  return (
    <>
      {trim.inForce && <circle r={8.5} fill="none" stroke="var(--ink)" />}
      <StandingDisc standing={trim.standing} r={5} />
    </>
  );
}
