import { useQuery } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { Dialog } from 'radix-ui';
import { useLocation } from 'wouter';
import type { Rig } from '../api/client';
import { trimsQuery } from '../api/queries';
import { trimName } from '../ui/format';
import { sheetPath } from '../ui/sheet';
import { toggleChart } from '../ui/theme';
import { sheets } from './sheets';

interface FinderProps {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  rigs: Rig[];
  rig: Rig;
}

/** Finds a sheet, a trim, a rig or an action by a few letters. */
export function CommandFinder({ open, onOpenChange, rigs, rig }: FinderProps) {
  const [, go] = useLocation();
  const trims = useQuery({ ...trimsQuery(rig.id), enabled: open });
  const item = (label: string, run: () => void, key = label) => (
    <Command.Item
      key={key}
      value={key}
      onSelect={() => {
        onOpenChange(false);
        run();
      }}
      className="px-4 py-1.5"
    >
      {label}
    </Command.Item>
  );
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[14%] left-1/2 w-[34rem] -translate-x-1/2 border border-ink bg-sheet shadow-xl"
        >
          <Dialog.Title className="sr-only">Find a command</Dialog.Title>
          <Command>
            <Command.Input
              autoFocus
              placeholder="Find a sheet, a trim, a rig, an action …"
              className="w-full border-b border-line bg-transparent px-4 py-3 text-[16px] outline-none"
            />
            <Command.List className="max-h-[50vh] overflow-auto py-1">
              <Command.Empty className="px-4 py-3 text-soft">Nothing is called that.</Command.Empty>
              {rig.trimInForce &&
                item('New trim from the one in force', () =>
                  go(sheetPath(rig.id, 'trim', rig.trimInForce ?? undefined, 'new')),
                )}
              {item('Start a trial', () => go(sheetPath(rig.id, 'trial')))}
              {item('Compare with stock', () => go(sheetPath(rig.id, 'compare')))}
              {sheets
                .filter((s) => s.word !== 'card')
                .map((s) => item(`Sheet ${s.title}`, () => go(sheetPath(rig.id, s.word))))}
              {trims.data?.map((t) =>
                item(
                  `${trimName(t)} ${t.number === 0 ? '' : t.name}`,
                  () => go(sheetPath(rig.id, 'trim', t.id)),
                  `trim ${t.number} ${t.name}`,
                ),
              )}
              {rigs.filter((r) => r.id !== rig.id).map((r) => item(`Rig ${r.name}`, () => go(sheetPath(r.id, 'rig'))))}
              {item('Switch between day and night chart', toggleChart)}
              {item('Read the API', () => window.open('/api'))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
