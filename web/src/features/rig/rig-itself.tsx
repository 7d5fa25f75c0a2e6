import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Rig, take } from '../../api/client';
import { useSeen } from '../../api/version';
import { Button, Problem } from '../../ui/elements';

/** What a rig is called, and whether it still stands on the bench. */
export function RigItself({ rig }: { rig: Rig }) {
  const [name, setName] = useState<string>();
  const { headers, onSuccess, onError } = useSeen(rig.version);
  const change = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: (body: { name?: string; retired?: boolean }) =>
      take(api.PATCH('/api/rigs/{rig}', { params: { path: { rig: rig.id } }, headers, body })),
    onSuccess: (saved) => {
      onSuccess(saved);
      setName(undefined);
    },
    onError,
  });
  return (
    <div className="mb-2 text-[13px]" data-retired={rig.retired}>
      {name === undefined ? (
        <p className="flex gap-4">
          <button type="button" className="text-soft underline" onClick={() => setName(rig.name)}>
            Rename it …
          </button>
          <button
            type="button"
            className="text-soft underline"
            onClick={() => change.mutate({ retired: !rig.retired })}
          >
            {rig.retired ? 'Put it back on the bench' : 'Retire it'}
          </button>
        </p>
      ) : (
        <form
          className="flex gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            change.mutate({ name });
          }}
        >
          <input
            aria-label="New name of the rig"
            className="w-full border border-line bg-sheet px-1.5"
            value={name}
            maxLength={60}
            onChange={(e) => setName(e.target.value)}
          />
          <Button type="submit" disabled={!name.trim() || name === rig.name || change.isPending}>
            Rename
          </Button>
        </form>
      )}
      {rig.retired && <p className="mt-1 text-soft">Its records are kept; it is left out of the rail and the Fleet.</p>}
      <Problem error={change.error} />
    </div>
  );
}
