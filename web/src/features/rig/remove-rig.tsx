import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation } from 'wouter';
import { api, type Rig, take } from '../../api/client';
import { useOwns } from '../../api/me';
import { removalQuery } from '../../api/queries';
import { Confirm } from '../../ui/confirm';
import { Problem } from '../../ui/elements';

const counted = ([kind, n]: [string, number]) => (n === 1 ? `1 ${kind.replace(/s$/, '')}` : `${n} ${kind}`);

/** Removes a rig with everything that belongs to it, which is told first. */
export function RemoveRig({ rig }: { rig: Rig }) {
  const owns = useOwns();
  const [, go] = useLocation();
  const [asking, setAsking] = useState(false);
  const removal = useQuery({ ...removalQuery(rig.id), enabled: asking });
  const remove = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: () =>
      take(api.DELETE('/api/rigs/{rig}', { params: { path: { rig: rig.id }, query: { name: rig.name } } })),
    onSuccess: () => go('/'),
  });
  if (!owns) return null;
  const kinds = removal.data && Object.entries(removal.data).filter(([, n]) => n > 0);
  return (
    <>
      <button type="button" className="text-[13px] text-soft underline" onClick={() => setAsking(true)}>
        Remove this rig …
      </button>
      <Problem error={remove.error} />
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title={`Remove ${rig.name} for good?`}
        action="Remove it"
        back="Keep it"
        onConfirm={() => remove.mutate()}
      >
        {kinds
          ? `Gone with it: ${kinds.map(counted).join(', ')}. Only a backup brings them back.`
          : 'Counting what belongs to it …'}
      </Confirm>
    </>
  );
}
