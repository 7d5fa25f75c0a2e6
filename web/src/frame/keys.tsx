import { Dialog } from 'radix-ui';
import { useHotkeys } from 'react-hotkeys-hook';
import { useLocation } from 'wouter';
import type { Rig } from '../api/client';
import { useActionKey, useCharacter, useSequences } from '../ui/action-key';
import { sheetPath, useAddress } from '../ui/sheet';
import { tabs } from './sheets';

/** Keys that work on every sheet. */
export function useSheetKeys(rig: Rig, on: { find: () => void; help: () => void }) {
  const [, go] = useLocation();
  const at = useAddress();
  useCharacter('/', on.find, []);
  useCharacter('?', on.help, []);
  useHotkeys(
    tabs.map((t) => `g>${t.key}`),
    (_, handler) => {
      const tab = tabs.find((t) => t.key === handler.keys?.at(-1));
      if (tab) go(sheetPath(rig.id, tab.word));
    },
    { useKey: true },
    [rig.id],
  );
  useSequences();
  useActionKey('n', () => rig.trimInForce && go(sheetPath(rig.id, 'trim', rig.trimInForce, 'new')), [
    rig.id,
    rig.trimInForce,
  ]);
  const onTrial = at.sheet === 'trial';
  useActionKey('t', () => !onTrial && go(sheetPath(rig.id, 'trial')), [rig.id, onTrial]);
}

const help: [string, string][] = [
  ['/', 'find a command'],
  [`g then ${tabs.map((t) => t.key).join(' ')}`, `go to ${tabs.map((t) => t.title).join(', ')}`],
  ['n', 'new trim from the one in force'],
  ['f', 'fit the trim on the sheet'],
  ['t', 'start a trial'],
  ['v', 'strips or figures of a trial'],
  ['Space', 'mark this moment of a running trial'],
  ['.', 'stop the trial, after a question'],
  ['↑ ↓', 'move a number by the board’s step; with Shift by five'],
  ['?', 'show this'],
];

export function KeyHelp({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/4 left-1/2 w-[30rem] -translate-x-1/2 border border-ink bg-sheet p-5 shadow-xl"
        >
          <Dialog.Title className="mb-3 text-[16px] font-semibold">Keys</Dialog.Title>
          <dl className="grid grid-cols-[10rem_1fr] gap-y-1">
            {help.map(([key, text]) => (
              <div key={key} className="contents">
                <dt className="num">{key}</dt>
                <dd>{text}</dd>
              </div>
            ))}
          </dl>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
