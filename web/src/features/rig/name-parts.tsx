import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'wouter';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { toldQuery } from '../../api/queries';
import { Button, Problem } from '../../ui/elements';
import { sheetPath } from '../../ui/sheet';
import { kinds, PartSelect } from '../parts/part-select';

type Names = Schemas['PartNames'];

/** Names the sheets of a rig's parts: all of one that has none, the cooler and the memory of any other. */
export function NameParts({ rig, onDone }: { rig: Rig; onDone: () => void }) {
  const now = rig.sketched ? undefined : rig.partIds;
  const [chosen, setChosen] = useState<Partial<Names>>({ ...(rig.partIds ?? {}) });
  const save = useMutation({
    meta: { touches: ['rig', 'trim', 'part'] },
    mutationFn: () =>
      take(api.PUT('/api/rigs/{rig}/parts', { params: { path: { rig: rig.id } }, body: chosen as Names })),
    onSuccess: onDone,
  });
  const open = kinds.filter((k) => (now ? k === 'cooler' || k === 'memory' : !(rig.inSystem && k === 'board')));
  return (
    <form
      className="mt-1"
      data-name-parts=""
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      {open.map((kind) => (
        // biome-ignore lint/a11y/noLabelWithoutControl: the control is the child
        <label key={kind} className="grid grid-cols-[6rem_minmax(0,1fr)] items-baseline py-[2px]">
          <span className="text-soft">{kind[0]?.toUpperCase() + kind.slice(1)}</span>
          <PartSelect
            kind={kind}
            value={chosen[kind]}
            none="choose its sheet"
            onChange={(id) => setChosen({ ...chosen, [kind]: id })}
          />
        </label>
      ))}
      <p className="mt-1 text-[13px] text-soft">
        {now
          ? 'Another processor or board makes it another rig: what its trims stood does not count there.'
          : 'None fits? '}
        {!now && (
          <Link className="underline" href={sheetPath(rig.id, 'parts')}>
            Make its sheet
          </Link>
        )}
      </p>
      <p className="mt-1 flex gap-2">
        <Button main type="submit" disabled={save.isPending || kinds.some((k) => !chosen[k])}>
          These are its parts
        </Button>
        <Button reads onClick={onDone}>
          Leave it
        </Button>
      </p>
      <Problem error={save.error} />
    </form>
  );
}

/** What the rig's sheets say otherwise than its machine, and which to believe. */
export function Contradictions({ rig }: { rig: Rig }) {
  const told = useQuery({ ...toldQuery(rig.id), enabled: rig.facts != null });
  const list = told.data?.contradictions ?? [];
  if (list.length === 0) return null;
  return (
    <div className="mt-1 border-l-2 border-caution pl-2" data-contradictions={list.length}>
      {list.map((c) => (
        <p key={c.kind + c.path} className="text-caution">
          The {c.kind}’s sheet says {c.sheet}, the machine {c.machine}.{' '}
          <span className="text-soft">Believe {c.believe}.</span>
        </p>
      ))}
    </div>
  );
}
