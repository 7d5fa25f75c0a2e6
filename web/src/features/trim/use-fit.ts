import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useLocation } from 'wouter';
import { api, type Rig, take } from '../../api/client';

/** Begins a fitting and goes to its sheet. */
export function useFit(rig: Rig) {
  const [, go] = useLocation();
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (trim: number) =>
      take(api.POST('/api/rigs/{rig}/fittings', { params: { path: { rig: rig.id } }, body: { trim } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['fittings', rig.id] });
      go(`/rig/${rig.id}/fitting`);
    },
  });
}
