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

/** A single key that does something at once. It keeps still as the second key of a sequence, and while one types. */
export function useActionKey(key: string, run: () => void, deps: DependencyList) {
  useHotkeys(
    key,
    () => {
      if (performance.now() - sequenceBegan > sequenceMs) run();
    },
    { preventDefault: true },
    deps,
  );
}
