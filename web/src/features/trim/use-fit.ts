import { useMutation } from '@tanstack/react-query';
import { useLocation } from 'wouter';
import { api, type Rig, take } from '../../api/client';
import { sheetPath } from '../../ui/sheet';

/** Begins a fitting and goes to its sheet. */
export function useFit(rig: Rig) {
  const [, go] = useLocation();
  return useMutation({
    meta: { touches: ['fitting'] },
    mutationFn: (what: number | { trim: number; despite: string }) =>
      take(
        api.POST('/api/rigs/{rig}/fittings', {
          params: { path: { rig: rig.id } },
          body: typeof what === 'number' ? { trim: what } : what,
        }),
      ),
    onSuccess: async () => {
      go(sheetPath(rig.id, 'fitting'));
    },
  });
}
