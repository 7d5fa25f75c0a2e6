import { Collapsible } from 'radix-ui';
import { useState } from 'react';
import type { Check, Drawings, Rig, Setting, Settings, Value } from '../../api/client';
import { ActiveSteps } from './active-steps';
import { BandChart } from './band-chart';
import { CurveDrawing } from './curve-drawing';
import {
  CorridorDrawing,
  EntryTable,
  LoadLineDrawing,
  MemoryTable,
  PlanTable,
  VoltageDrawing,
  WindowDrawing,
} from './drawings';
import { EntryFor } from './entry-for';
import { SettingTable } from './setting-table';

interface GroupsProps {
  rig: Rig;
  rows: Setting[];
  values: Settings;
  parent: Settings;
  onChange?: (key: string, value: Value) => void;
  wrong: Set<string>;
  inert: Record<string, string>;
  curve?: Check['curve'];
  drawings?: Drawings;
  /** What is looked for, in trade names or any board's words; empty shows the groups. */
  find: string;
  /** Groups that are open at first. */
  open: (group: string) => boolean;
}

const titles: Record<string, string> = {
  memory: 'Memory',
  limits: 'Limits',
  clocks: 'Clocks',
  voltage: 'Voltage',
  'load line': 'Load line',
  curve: 'Curve',
  cooling: 'Cooling',
  platform: 'Platform',
};

/** Whether a row says what is looked for. */
function says(row: Setting, find: string): boolean {
  const text = [row.name, row.label, row.meaning, row.key, ...row.menu].join(' ').toLowerCase();
  return find
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/** Every setting in work order, a foldable group for each step of the work. */
export function Groups(props: GroupsProps) {
  const { rows, values, parent, find, open } = props;
  const [folded, setFolded] = useState<Record<string, boolean>>({});
  if (find.trim()) {
    const found = rows.filter((r) => says(r, find.trim()));
    return found.length > 0 ? (
      <SettingTable {...props} rows={found.slice(0, 40)} />
    ) : (
      <p className="py-3 text-soft">No setting is called that, here or on this board.</p>
    );
  }
  const groups = [...new Set(rows.map((r) => r.group))];
  return (
    <>
      {groups.map((group) => {
        const own = rows.filter((r) => r.group === group);
        const changed = own.filter((r) => (values[r.key] ?? r.stock) !== (parent[r.key] ?? r.stock)).length;
        return (
          <Collapsible.Root
            key={group}
            open={folded[group] === undefined ? open(group) : !folded[group]}
            onOpenChange={(to) => setFolded((now) => ({ ...now, [group]: !to }))}
            className="border-t border-line py-1.5 first:border-t-0"
            data-group={group}
          >
            <Collapsible.Trigger className="group flex w-full items-baseline gap-2 text-left">
              <span aria-hidden="true" className="num w-3 text-soft group-data-[state=open]:rotate-90">
                ›
              </span>
              <span className="font-semibold">{titles[group] ?? group}</span>
              <span className="text-[13px] text-soft">
                {changed > 0 ? `${changed} changed` : `${own.length} as in the parent`}
              </span>
              <span className="ml-auto text-[12.5px] text-soft">board menu {own[0]?.menu.join(' › ')}</span>
            </Collapsible.Trigger>
            <Collapsible.Content className="pt-1 pb-2 pl-5">
              <Group {...props} rows={own} group={group} />
            </Collapsible.Content>
          </Collapsible.Root>
        );
      })}
    </>
  );
}

/** Settings that a drawing stands for. */
const drawn = (r: Setting) =>
  r.scope === 'active cores' || r.scope === 'frequency band' || r.key.startsWith('curve.c') || r.key === 'curve.all';

/** One group: its drawing first where it has one, then the settings that matter now, the rest folded away. */
function Group({ group, ...props }: GroupsProps & { group: string }) {
  const [all, setAll] = useState(false);
  const { rig, rows, values, parent, drawings, inert } = props;
  const plain = rows.filter((r) => !drawn(r));
  const relevant = plain.filter((r) => matters(r, values, parent, inert));
  const shown = all ? plain : relevant;
  return (
    <>
      {group === 'curve' && rows.some((r) => r.core >= 0) && <CurveDrawing {...props} />}
      {group === 'curve' && drawings?.bands && <BandChart {...props} bands={drawings.bands} />}
      {shown.length > 0 && <SettingTable {...props} rows={shown} />}
      {group === 'clocks' && rows.some((r) => r.scope === 'active cores') && drawings && (
        <ActiveSteps {...props} rows={rows.filter((r) => r.scope === 'active cores')} usual={drawings.usualRatios} />
      )}
      {plain.length > relevant.length && (
        <button type="button" className="mt-1 text-[13px] text-soft underline" onClick={() => setAll(!all)}>
          {all ? 'Fold what is as delivered' : `${plain.length - relevant.length} more, as delivered`}
        </button>
      )}
      {drawings && group === 'limits' && (
        <WindowDrawing windows={drawings.windows} pl1={numberIn(values, 'limit.pl1')} />
      )}
      {drawings && group === 'load line' && (
        <LoadLineDrawing
          levels={drawings.loadLines}
          row={rows.find((r) => r.key === 'loadline.level')}
          onChange={props.onChange}
        />
      )}
      {drawings && group === 'voltage' && <VoltageDrawing curves={drawings.curves} corridor={drawings.corridor} />}
      {drawings && group === 'voltage' && <CorridorDrawing corridor={drawings.corridor} />}
      {drawings && group === 'voltage' && <EntryTable entries={drawings.entries} />}
      {group === 'voltage' && props.onChange && (
        <EntryFor rig={rig.id} values={values} rows={rows} onChange={props.onChange} />
      )}
      {drawings && group === 'clocks' && <PlanTable plan={drawings.plan} />}
      {drawings && group === 'memory' && <MemoryTable memory={drawings.memory} />}
    </>
  );
}

function numberIn(values: Settings, key: string): number | undefined {
  const v = values[key];
  return typeof v === 'number' ? v : undefined;
}

/** Whether a setting is worth a row now: it differs from delivery or from the parent, or the work begins with it. */
function matters(r: Setting, values: Settings, parent: Settings, inert: Record<string, string>): boolean {
  const v = values[r.key] ?? r.stock;
  if (v !== (parent[r.key] ?? r.stock) || v !== r.stock) return true;
  if (r.kin && !(r.key in inert) && r.kin.endsWith('voltage')) return true;
  return (r.first && !(r.key in inert)) || r.kin === 'fan curve';
}
