import type { ReactNode } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import type { Trial } from '../../api/client';
import type { View } from '../../api/queries';
import { useCharacter } from '../../ui/action-key';
import { span } from '../../ui/format';

/** The shortest view, in seconds. */
const shortest = 5;

/** Keeps a view inside the trial, and not too short. */
export function within(view: View, length: number): View | undefined {
  const long = Math.min(length, Math.max(shortest, view.to - view.from));
  const from = Math.min(Math.max(0, view.from), length - long);
  return long >= length ? undefined : { from, to: from + long };
}

const scaled = (view: View, by: number): View => {
  const middle = (view.from + view.to) / 2;
  const half = ((view.to - view.from) / 2) * by;
  return { from: middle - half, to: middle + half };
};

const moved = (view: View, by: number): View => {
  const step = (view.to - view.from) * by;
  return { from: view.from + step, to: view.to + step };
};

/** Plus and minus zoom, the arrows move, 0 shows the whole trial. */
export function useZoomKeys(view: View, length: number, onView: (view?: View) => void) {
  const deps = [view.from, view.to, length];
  useCharacter('=', () => onView(scaled(view, 0.5)), deps);
  useHotkeys('+', () => onView(scaled(view, 0.5)), { useKey: true, ignoreModifiers: true, splitKey: ' ' }, deps);
  useCharacter('-', () => onView(scaled(view, 2)), deps);
  useCharacter('left', () => onView(moved(view, -0.25)), deps);
  useCharacter('right', () => onView(moved(view, 0.25)), deps);
  useCharacter('0', () => onView(undefined), deps);
}

/** Strips that are put on where somebody wants them, and the channels that they need. */
export const extraKeys = { wall: 'power.wall', VRM: 'temperature.vrm', fan: 'speed.fan.' };
export type Extra = keyof typeof extraKeys;
export const extras = Object.keys(extraKeys) as Extra[];

interface ViewBarProps {
  trial: number;
  view: View;
  length: number;
  zoomed: boolean;
  onView: (view?: View) => void;
  /** Whether temperatures are shown above ambient; undefined where that is not known. */
  above?: boolean;
  onAbove: (above: boolean) => void;
  can: Extra[];
  more: Extra[];
  onMore: (more: Extra[]) => void;
  others: Trial[];
  overlaid?: number;
  onOverlay: (trial?: number) => void;
  /** Whether every sample is there. */
  whole: boolean;
  /** What leads to another view of the trial. */
  children: ReactNode;
}

/** What part of the trial is shown, and how. */
export function ViewBar({
  trial,
  view,
  length,
  zoomed,
  onView,
  above,
  onAbove,
  can,
  more,
  onMore,
  others,
  overlaid,
  onOverlay,
  whole,
  children,
}: ViewBarProps) {
  const button = 'border border-line bg-sheet px-1.5 leading-[18px] disabled:text-line';
  return (
    <div
      title="Drag across a strip to look closer"
      className="mb-1 flex h-[22px] items-center gap-x-3 overflow-hidden text-[13px] whitespace-nowrap"
      data-view={`${view.from.toFixed(0)}-${view.to.toFixed(0)}`}
    >
      <span className="num">
        {zoomed ? `${span(view.from)} to ${span(view.to)} of ${span(length)}` : `all of ${span(length)}`}
      </span>
      <span className="flex gap-1">
        <button type="button" className={button} title="Closer (+)" onClick={() => onView(scaled(view, 0.5))}>
          +
        </button>
        <button
          type="button"
          className={button}
          title="Wider (−)"
          disabled={!zoomed}
          onClick={() => onView(scaled(view, 2))}
        >
          −
        </button>
        <button
          type="button"
          className={button}
          title="Earlier (←)"
          disabled={!zoomed}
          onClick={() => onView(moved(view, -0.25))}
        >
          ←
        </button>
        <button
          type="button"
          className={button}
          title="Later (→)"
          disabled={!zoomed}
          onClick={() => onView(moved(view, 0.25))}
        >
          →
        </button>
        <button
          type="button"
          className={button}
          title="The whole trial (0)"
          disabled={!zoomed}
          onClick={() => onView(undefined)}
        >
          all
        </button>
      </span>
      {whole && (
        <a
          className="underline decoration-line underline-offset-2"
          href={`/api/trials/${trial}/telemetry.csv${zoomed ? `?fromS=${view.from.toFixed(3)}&toS=${view.to.toFixed(3)}` : ''}`}
          title="Every sample of what is shown, as CSV"
        >
          CSV
        </a>
      )}
      {children}
      <span className="ml-auto flex items-center gap-3">
        {can.map((e) => (
          <label key={e} className="flex items-center gap-1" title={`A strip of its own: ${e}`}>
            <input
              type="checkbox"
              checked={more.includes(e)}
              onChange={() => onMore(more.includes(e) ? more.filter((one) => one !== e) : [...more, e])}
            />
            {e}
          </label>
        ))}
        {above !== undefined && (
          <label className="flex items-center gap-1" title="Degrees above ambient">
            <input type="checkbox" checked={above} onChange={(e) => onAbove(e.target.checked)} />
            above <span className="hidden xl:inline">ambient</span>
          </label>
        )}
        {others.length > 0 && (
          <label className="flex items-center gap-1">
            <span className="hidden text-soft xl:inline">over</span>
            <select
              aria-label="Overlaid trial"
              value={overlaid ?? ''}
              onChange={(e) => onOverlay(e.target.value === '' ? undefined : Number(e.target.value))}
              className="max-w-[6rem] border border-line bg-sheet"
            >
              <option value="">nothing</option>
              {others.map((t) => (
                <option key={t.id} value={t.id}>
                  {t.number} {t.name}
                </option>
              ))}
            </select>
          </label>
        )}
      </span>
    </div>
  );
}
