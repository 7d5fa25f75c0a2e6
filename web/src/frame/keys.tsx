import { useHotkeys } from 'react-hotkeys-hook';
import { useLocation } from 'wouter';
import type { Rig } from '../api/client';
import { handbookPath, pageAbout } from '../features/handbook/pages';
import { useActionKey, useCharacter, useSequences } from '../ui/action-key';
import { sheetPath, useAddress } from '../ui/sheet';
import { tabs } from './sheets';

/** Keys that work on every sheet. */
export function useSheetKeys(rig: Rig, find: () => void) {
  const [, go] = useLocation();
  const at = useAddress();
  useCharacter('/', find, []);
  useCharacter('?', () => go(handbookPath(rig.id, pageAbout(at.sheet ?? ''))), [rig.id, at.sheet]);
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
