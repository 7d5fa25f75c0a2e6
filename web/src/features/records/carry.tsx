import { useMutation, useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link } from 'wouter';
import type { Schemas } from '../../api/client';
import { sendArchive } from '../../api/client';
import { rigsQuery } from '../../api/queries';
import { Button, Problem, Section } from '../../ui/elements';
import { sheetPath } from '../../ui/sheet';

/** Everything out, and in: a rig, or all, as one file that another server takes in. */
export function Carry() {
  return (
    <>
      <Out />
      <TakeIn />
    </>
  );
}

function Out() {
  const rigs = useQuery(rigsQuery).data ?? [];
  const [rig, setRig] = useState('');
  return (
    <Section title="Take out" note="all that is kept, in open formats">
      <p className="flex flex-wrap items-center gap-2 text-[13px]">
        <select
          aria-label="Rig to take out"
          className="border border-line bg-sheet px-1 py-0.5"
          value={rig}
          onChange={(e) => setRig(e.target.value)}
        >
          <option value="">all rigs</option>
          {rigs.map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
        </select>
        <a className="underline" href={`/api/archive${rig && `?rig=${rig}`}`} download>
          Archive
        </a>
      </p>
      <p className="mt-1 text-[12.5px] text-soft">
        For moving house, a second opinion, or a report of a fault. Nothing may run on it meanwhile.
      </p>
    </Section>
  );
}

/** Takes an archive in. On a bench that has no rig yet its page is loaded anew once the token was read, as nothing else would lead on. */
export function TakeIn({ onBegin }: { onBegin?: () => void }) {
  const file = useRef<HTMLInputElement>(null);
  const [name, setName] = useState('');
  const bring = useMutation({
    meta: { touches: ['rig', 'part', 'trial', 'score'] },
    mutationFn: (archive: File) => sendArchive(archive, name),
  });
  return (
    <Section title="Take in" note="an archive of another server">
      <p className="flex flex-wrap items-center gap-2 text-[13px]">
        <input ref={file} type="file" aria-label="Archive" accept=".zip" className="w-full" />
        <label className="flex items-baseline gap-1.5">
          as
          <input
            aria-label="Another name for its rig"
            className="w-28 border border-line bg-sheet px-1"
            value={name}
            placeholder="its own name"
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <Button
          disabled={bring.isPending}
          onClick={() => {
            const chosen = file.current?.files?.[0];
            if (!chosen) return;
            onBegin?.();
            bring.mutate(chosen);
          }}
        >
          Take it in
        </Button>
      </p>
      {bring.data?.map((t) => (
        <Arrived key={t.rig} taken={t} anew={onBegin !== undefined} />
      ))}
      <Problem error={bring.error} />
    </Section>
  );
}

function Arrived({ taken, anew }: { taken: Schemas['TakenRig']; anew: boolean }) {
  const at = sheetPath(taken.rig, 'rig');
  return (
    <p className="mt-1 text-[13px]" data-taken={taken.name}>
      {anew ? (
        <a className="underline" href={at}>
          {taken.name}
        </a>
      ) : (
        <Link className="underline" href={at}>
          {taken.name}
        </Link>
      )}{' '}
      is here. The token of its agent, told once: <span className="num break-all">{taken.token}</span>
    </p>
  );
}
