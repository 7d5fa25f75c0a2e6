import { Collapsible } from 'radix-ui';
import type { Setting, Settings, Value } from '../../api/client';
import { CurveDrawing } from './curve-drawing';
import { SettingTable } from './setting-table';

interface GroupsProps {
  rows: Setting[];
  values: Settings;
  parent: Settings;
  onChange?: (key: string, value: Value) => void;
  wrong: Set<string>;
  /** Groups that are open at first. */
  open: (group: string) => boolean;
}

const titles: Record<string, string> = {
  memory: 'Memory',
  limits: 'Limits',
  clocks: 'Clocks',
  'load line': 'Load line',
  curve: 'Curve',
  cooling: 'Cooling',
};

/** Every setting in work order, a foldable group for each step of the work. */
export function Groups({ rows, values, parent, onChange, wrong, open }: GroupsProps) {
  const groups = [...new Set(rows.map((r) => r.group))];
  return (
    <>
      {groups.map((group) => {
        const own = rows.filter((r) => r.group === group);
        const changed = own.filter((r) => (values[r.key] ?? r.stock) !== (parent[r.key] ?? r.stock)).length;
        const menus = new Set(own.map((r) => r.menu.join(' › ')));
        const props = { rows: own, values, parent, onChange, wrong };
        return (
          <Collapsible.Root
            key={group}
            defaultOpen={open(group)}
            className="border-t border-line py-1.5 first:border-t-0"
          >
            <Collapsible.Trigger className="group flex w-full items-baseline gap-2 text-left">
              <span aria-hidden="true" className="num w-3 text-soft group-data-[state=open]:rotate-90">
                ›
              </span>
              <span className="font-semibold">{titles[group] ?? group}</span>
              <span className="text-[13px] text-soft">
                {changed > 0 ? `${changed} changed` : `${own.length} as in the parent`}
              </span>
              <span className="ml-auto text-[12.5px] text-soft">board menu {[...menus][0]}</span>
            </Collapsible.Trigger>
            <Collapsible.Content className="pt-1 pb-2 pl-5">
              {group === 'curve' ? <CurveDrawing {...props} /> : <SettingTable {...props} />}
            </Collapsible.Content>
          </Collapsible.Root>
        );
      })}
    </>
  );
}
