import { type DependencyList, useEffect } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';

/** How long after `g` a letter still belongs to it, in milliseconds. */
const sequenceMs = 1000;

let sequenceBegan = Number.NEGATIVE_INFINITY;

/** Notes the first key of a sequence, so that its second does not act as a key of its own. */
export function useSequences() {
  useEffect(() => {
    const note = (e: KeyboardEvent) => {
      if (e.key === 'g') sequenceBegan = performance.now();
    };
    window.addEventListener('keydown', note, { capture: true });
    return () => window.removeEventListener('keydown', note, { capture: true });
  }, []);
}

/** Whether a key is pressed together with one that makes a command of the browser or the system out of it. */
const chord = (e: KeyboardEvent) => (e.ctrlKey || e.metaKey || e.altKey) && !e.getModifierState('AltGraph');

/**
 * Acts when a character is typed, on whatever key the layout has it: `/` lies on Shift and 7 where `?` lies beside 0. Space
 * and the arrows are named, and go by their place. It keeps still while one types into a field.
 */
export function useCharacter(keys: string, run: () => void, deps: DependencyList) {
  const named = /^(space|left|right|up|down)$/.test(keys);
  // The shift that a character needs is no modifier; with a letter it is.
  const anyShift = !named && !/[a-z]/i.test(keys);
  useHotkeys(
    keys,
    run,
    { useKey: !named, ignoreModifiers: anyShift, ignoreEventWhen: chord, preventDefault: true, delimiter: ' ' },
    deps,
  );
}

/** A single key that does something at once. It keeps still as the second key of a sequence, and while one types. */
export function useActionKey(key: string, run: () => void, deps: DependencyList) {
  useCharacter(
    key,
    () => {
      if (performance.now() - sequenceBegan > sequenceMs) run();
    },
    deps,
  );
}
