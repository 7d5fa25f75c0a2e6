import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { useMe } from '../../api/me';
import { Button, Problem } from '../../ui/elements';
import { AgentCommand } from './agent-command';

/** Adds a rig by its name, and says how its agent is started. Its parts are told over the API. */
export function AddRig() {
  const me = useMe();
  const [name, setName] = useState('');
  const add = useMutation({
    meta: { touches: [] }, // the page goes on to the rig once its agent's command was read
    mutationFn: () => take(api.POST('/api/rigs', { body: { name, simulated: false } })),
  });
  if (add.data) {
    return (
      <div className="max-w-[44rem]">
        <p className="mb-2">
          <span className="font-semibold">{add.data.rig.name}</span> is added. Start its agent on the machine itself, as
          root so that every sensor can be read. The token is shown this once.
        </p>
        <AgentCommand token={add.data.token} fingerprint={me?.fingerprint} />
        <Button reads main onClick={() => window.location.assign(`/rig/${add.data.rig.id}/rig`)}>
          Show the rig
        </Button>
      </div>
    );
  }
  return (
    <form
      className="flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <label>
        <span className="block text-[13px] text-soft">Name of the rig</span>
        <input
          className="w-56 border border-line bg-sheet px-2 py-1"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      <Button main type="submit" disabled={!name.trim() || add.isPending}>
        Add a rig
      </Button>
      <Problem error={add.error} />
    </form>
  );
}
