import { useMutation } from '@tanstack/react-query';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { Button, Problem } from '../../ui/elements';

/** A machine that was started from a bench stick goes off, or starts anew, by its agent. */
export function PowerMachine({ rig }: { rig: Rig }) {
  const power = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: (how: Schemas['PowerRequest']['how']) =>
      take(api.POST('/api/rigs/{rig}/power', { params: { path: { rig: rig.id } }, body: { how } })),
  });
  return (
    <div data-power="">
      <p className="mt-1 flex flex-wrap items-baseline gap-2">
        <Button disabled={power.isPending || rig.state !== 'idle'} onClick={() => power.mutate('restart')}>
          Start it anew
        </Button>
        <Button disabled={power.isPending || rig.state !== 'idle'} onClick={() => power.mutate('off')}>
          Shut it down
        </Button>
        <span className="text-[13px] text-soft">started from a bench stick; on again at its own button</span>
      </p>
      <Problem error={power.error} />
    </div>
  );
}
