import { useMutation } from '@tanstack/react-query';
import { useLocation } from 'wouter';
import { api, type Trim, take } from '../../api/client';
import { sheetPath } from '../../ui/sheet';

/** Removes a trim that was never fitted, and goes to the one that it was made from. */
export function useRemove(trim: Trim) {
  const [, go] = useLocation();
  return useMutation({
    meta: { touches: ['trim'] },
    mutationFn: () => take(api.DELETE('/api/trims/{trim}', { params: { path: { trim: trim.id } } })),
    onSuccess: () => go(sheetPath(trim.rig, 'trim', trim.parent ?? undefined)),
  });
}
