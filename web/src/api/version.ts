import { useState } from 'react';
import { Refusal } from './client';

/**
 * The version of a thing as it was when one began to change it: a change that is sent with it is refused where somebody else
 * was first. Once that was told, the next one is sent without.
 */
export function useSeen(version: string | undefined) {
  const [seen, setSeen] = useState(version);
  return {
    headers: seen ? { 'If-Match': `"${seen}"` } : undefined,
    /** What one has changed oneself is seen as it is now. */
    onSuccess: (saved: { version: string }) => setSeen(saved.version),
    onError: (error: unknown) => {
      if (error instanceof Refusal && error.status === 412) setSeen(undefined);
    },
  };
}
