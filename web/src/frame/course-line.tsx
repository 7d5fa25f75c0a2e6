import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useRef, useState } from 'react';
import { useLocation } from 'wouter';
import type { Rig, Trim } from '../api/client';
import { trimsQuery } from '../api/queries';
import { useToCome } from '../features/tuning/planned';
import { num, trimName } from '../ui/format';
import { sheetPath, useAddress } from '../ui/sheet';
import { StandingDisc } from '../ui/standing';
import { plot, type Waypoint } from './course';

const mainY = 60;
/** Of the lanes beside the main course, from it outwards. */
const laneY = (lane: number) => [mainY, 29, 9][lane] ?? mainY;

/** The room of a waypoint: less once there are many. */
const stepOf = (count: number) => (count > 14 ? 100 : 118);

/** The bottom: the rig's trims as a plotted course. A click opens a waypoint; a drag across two compares them. */
export function CourseLine({ rig }: { rig: Rig }) {
  const trims = useQuery(trimsQuery(rig.id));
  const [, go] = useLocation();
  const from = useRef<number | null>(null);
  const [opened, setOpened] = useState<ReadonlySet<number>>(new Set());
  const at = useAddress();
  const open = at.sheet === 'trim' ? Number(at.id) : undefined;
  const coming = useToCome(rig.id);
  const step = stepOf(trims.data?.length ?? 0);
  const points = plot(trims.data ?? [], step, opened, open);
  const known = trims.data !== undefined;
  useEffect(() => {
    // The course is the last to appear: from here on the page can be worked with.
    if (known && performance.getEntriesByName('usable').length === 0) performance.mark('usable');
  }, [known]);
  const byTrim = new Map<number, Waypoint>();
  for (const p of points) byTrim.set(p.trim.id, p);
  const inForce = points.find((p) => p.trim.inForce);
  const last = points.at(-1)?.x ?? 0;
  const toCome = coming.names.map((name, i) => ({ name, x: last + (i + 1) * step }));
  const view = useView(toCome[0]?.x ?? inForce?.x);
  // A drag from one waypoint to another compares the two, and is no click on either; all else that presses one is a click.
  const release = (to: number) => {
    const start = from.current;
    from.current = null;
    if (start !== null && start !== to) {
      const [base, trim] = [start, to].sort((a, b) => a - b);
      go(sheetPath(rig.id, 'compare', base, trim));
    }
  };
  const show = (p: Waypoint) => {
    if (p.count > 1) setOpened(new Set([...opened, p.first.id]));
    else go(sheetPath(rig.id, 'trim', p.trim.id));
  };
  return (
    <nav aria-label="Course of trims" className="relative min-w-0 border-t border-line [grid-area:course]">
      <div ref={view.ref} onScroll={view.look} className="overflow-x-auto">
        <div
          className="relative h-[104px]"
          style={{ width: Math.max((points.length + toCome.length) * step + 160, 400) }}
        >
          <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
            {points.map((p) => {
              const parent = p.first.parent == null ? undefined : byTrim.get(p.first.parent);
              return parent && <Leg key={p.trim.id} from={parent} to={p} />;
            })}
            {toCome.length > 0 && <ToCome from={byTrim.get(coming.from ?? 0) ?? inForce} points={toCome} />}
          </svg>
          {points.map((p) => (
            <WaypointMark
              key={p.trim.id}
              point={p}
              open={p.trim.id === open}
              onPress={() => {
                from.current = p.trim.id;
              }}
              onRelease={() => release(p.trim.id)}
              onShow={() => show(p)}
            />
          ))}
          {toCome.map((p) => (
            <span
              key={p.name}
              data-to-come={p.name}
              className="absolute text-center text-[12.5px] text-soft"
              style={{ left: p.x - step / 2, top: mainY + 10, width: step - 8 }}
            >
              {p.name}
            </span>
          ))}
          {points.length === 0 && <p className="p-4 text-soft">No trims yet: the course begins with stock.</p>}
        </div>
      </div>
      {view.beyond && inForce && (
        <button
          type="button"
          onClick={view.center}
          data-beyond={view.beyond}
          className={`absolute top-[48px] flex items-center gap-1 border border-ink bg-paper px-1.5 text-[12.5px] ${view.beyond === 'left' ? 'left-0' : 'right-0'}`}
        >
          {view.beyond === 'left' && <span aria-hidden="true">←</span>}
          {trimName(inForce.trim)} <span className="text-soft">in force</span>
          {view.beyond === 'right' && <span aria-hidden="true">→</span>}
        </button>
      )}
    </nav>
  );
}

/** Keeps the waypoint in force in view: scrolls to it when it changes, and tells on which side it is once scrolled away. */
function useView(x?: number) {
  const ref = useRef<HTMLDivElement>(null);
  const [beyond, setBeyond] = useState<'left' | 'right'>();
  const look = useCallback(() => {
    const box = ref.current;
    if (!box || x === undefined) return setBeyond(undefined);
    const place = x - box.scrollLeft;
    setBeyond(place < 0 ? 'left' : place > box.clientWidth ? 'right' : undefined);
  }, [x]);
  const center = useCallback(() => {
    const box = ref.current;
    if (box && x !== undefined) box.scrollLeft = x - box.clientWidth * 0.7;
    look();
  }, [x, look]);
  useEffect(center, [center]);
  return { ref, look, center, beyond };
}

function Leg({ from, to }: { from: Waypoint; to: Waypoint }) {
  const branch = to.lane !== 0;
  const dash = to.trim.standing === 'draft' ? '6 4' : branch ? '2 4' : undefined;
  return (
    <line
      x1={from.x}
      y1={laneY(from.lane)}
      x2={to.x}
      y2={laneY(to.lane)}
      stroke="var(--ink)"
      strokeWidth={branch ? 1.2 : 1.8}
      strokeDasharray={dash}
    />
  );
}

/** Trims that a plan leads to, from the trim that it begins with. */
function ToCome({ from, points }: { from?: Waypoint; points: { name: string; x: number }[] }) {
  const ends = points.at(-1)?.x ?? 0;
  return (
    <g stroke="var(--ink)" fill="var(--paper)">
      {from && (
        <path
          d={`M${from.x},${laneY(from.lane)} L${points[0]?.x ?? ends},${mainY} H${ends}`}
          fill="none"
          strokeDasharray="2 4"
        />
      )}
      {points.map((p) => (
        <circle key={p.name} cx={p.x} cy={mainY} r={5} strokeDasharray="2 2" />
      ))}
    </g>
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
  const { trim, first, count } = point;
  const branch = point.lane !== 0;
  const label =
    count > 1
      ? `${trimName(first)} to ${trimName(trim)}`
      : `${trimName(trim)} ${trim.number === 0 ? '' : trim.name}`.trim();
  const failed = trim.standing === 'failed';
  const score = !failed && trim.points != null ? `${num(trim.points)} pt` : trim.summary;
  const below = count > 1 ? `${count} ${trim.pilot != null ? 'soundings' : 'like steps'}` : score;
  const said = [label, below, trim.inForce && 'in force', trim.standing, below !== trim.summary && trim.summary];
  const room = branch ? point.room : undefined;
  return (
    <button
      type="button"
      aria-label={said.filter(Boolean).join(', ')}
      title={branch ? `${label}: ${below}` : label}
      aria-current={open ? 'true' : undefined}
      aria-expanded={count > 1 ? false : undefined}
      onPointerDown={onPress}
      onPointerUp={onRelease}
      onClick={onShow}
      className={`absolute text-left leading-tight ${branch ? 'flex items-center gap-1.5' : ''}`}
      style={
        branch
          ? { left: point.x - 9, top: laneY(point.lane) - 9 }
          : { left: point.x - point.room / 2, top: mainY - 20, width: point.room }
      }
    >
      <svg
        width={branch ? 18 : point.room}
        height={branch ? 18 : 30}
        className="block shrink-0 overflow-visible"
        aria-hidden="true"
      >
        <g transform={branch ? 'translate(9,9)' : `translate(${point.room / 2},20)`}>
          <Mark trim={trim} series={count > 1} />
        </g>
      </svg>
      {branch ? (
        <span
          className={`block truncate bg-paper px-0.5 text-[12.5px] ${open ? 'font-semibold' : ''}`}
          style={{ maxWidth: room }}
        >
          {label} <span className={`num text-[11px] ${failed ? 'text-caution' : 'text-soft'}`}>{below}</span>
        </span>
      ) : (
        <span className={`block text-center text-[12.5px] ${open ? 'font-semibold' : ''}`}>
          <span className="block truncate">{label}</span>
          <span className={`num block truncate text-[11px] ${failed ? 'text-caution' : 'text-soft'}`}>{below}</span>
        </span>
      )}
    </button>
  );
}

/** A waypoint's disc: with a flag where the trim is in force, one behind the other for a series. */
function Mark({ trim, series }: { trim: Trim; series: boolean }) {
  return (
    <>
      {trim.inForce && <circle r={8.5} fill="none" stroke="var(--ink)" />}
      {trim.inForce && <path d="M0,-8 V-19 h14 l-4,4 4,4 h-14" fill="var(--ink)" stroke="var(--ink)" />}
      {series &&
        [10, 5].map((x) => (
          <g key={x} transform={`translate(${-x},0)`}>
            <StandingDisc standing={trim.standing} r={5} />
          </g>
        ))}
      <StandingDisc standing={trim.standing} r={5} />
    </>
  );
}
