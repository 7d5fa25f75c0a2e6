import { Dialog } from 'radix-ui';
import { useHotkeys } from 'react-hotkeys-hook';
import { useLocation } from 'wouter';
import type { Rig } from '../api/client';
import { useActionKey, useSequences } from '../ui/action-key';
import { sheetNames } from './frame';

/** Keys that work on every sheet. */
export function useSheetKeys(rig: Rig, on: { find: () => void; help: () => void }) {
  const [location, go] = useLocation();
  useHotkeys('slash', on.find, { preventDefault: true });
  useHotkeys('shift+slash', on.help, { preventDefault: true });
  useHotkeys(
    sheetNames.map(([, , key]) => `g>${key}`),
    (_, handler) => {
      const last = handler.keys?.at(-1);
      const sheet = sheetNames.find(([, , key]) => key === last);
      if (sheet) go(`/rig/${rig.id}/${sheet[0]}`);
    },
    [rig.id],
  );
  useSequences();
  useActionKey('n', () => rig.trimInForce && go(`/rig/${rig.id}/trim/${rig.trimInForce}/new`), [
    rig.id,
    rig.trimInForce,
  ]);
  const onTrial = location.startsWith(`/rig/${rig.id}/trial`);
  useActionKey('t', () => !onTrial && go(`/rig/${rig.id}/trial`), [rig.id, onTrial]);
}

const help: [string, string][] = [
  ['/', 'find a command'],
  ['g then r t f l s o', 'go to Rig, Trim, Fitting, Trial, Scores, Log'],
  ['n', 'new trim from the one in force'],
  ['f', 'fit the trim on the sheet'],
  ['t', 'start a trial'],
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
