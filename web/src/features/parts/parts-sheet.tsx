import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useOwns } from '../../api/me';
import { partsQuery, useRig } from '../../api/queries';
import { useSeen } from '../../api/version';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import type { SheetProps } from '../../ui/sheet';
import { LearnBoard } from './learn-board';

type Part = Schemas['Part'];
type Kind = 'processor' | 'board' | 'cooler' | 'memory';

/** A sheet that is open: one of the bench with its version, or one that was brought, without id. */
interface Opened {
  kind: Kind;
  id: string;
  text: string;
  version?: string;
}

const kinds: [Kind, string][] = [
  ['processor', 'Processors'],
  ['board', 'Boards'],
  ['cooler', 'Coolers'],
  ['memory', 'Memory'],
];

/** The data of processors, boards, coolers and memory kits: added, edited, brought in and taken out as files. */
export function PartsSheet({ rig: id }: SheetProps) {
  const parts = useQuery(partsQuery);
  const rig = useRig(id);
  const [open, setOpen] = useState<Opened>();
  const [learning, setLearning] = useState(false);
  if (!parts.data) return <p className="p-4 text-soft">Reading the part sheets …</p>;
  const show = (p: Part) =>
    setOpen({ kind: p.kind as Kind, id: p.id, text: JSON.stringify(p.sheet, null, 2), version: p.version });
  const bring = async (kind: Kind, file: File) => setOpen({ kind, id: '', text: await file.text() });
  const dock = (
    <>
      {kinds.map(([kind, title]) => (
        <Section key={kind} title={title}>
          <ul className="row-rule">
            {parts.data
              .filter((p) => p.kind === kind)
              .map((p) => (
                <li key={p.id} className="flex justify-between gap-2 py-[3px]">
                  <button type="button" className="text-left underline" onClick={() => show(p)}>
                    {p.name}
                  </button>
                  <a className="text-[13px] text-soft underline" href={`/api/parts/${kind}/${p.id}`} download>
                    export
                  </a>
                </li>
              ))}
          </ul>
          <label className="cursor-pointer text-[13px] text-soft underline">
            Import a file
            <input
              type="file"
              accept=".json"
              className="sr-only"
              onChange={(e) => e.target.files?.[0] && bring(kind, e.target.files[0])}
            />
          </label>
        </Section>
      ))}
    </>
  );
  return (
    <SheetWithDock dock={dock}>
      <Heading note="what is known of a model; how one chip strays from it is found on the rig">Part sheets</Heading>
      {rig?.canFit && (
        <p className="mb-2">
          <button type="button" className="underline" onClick={() => setLearning(!learning)}>
            {learning ? 'Back to the sheets' : `Learn the board of ${rig.name} from its own registry`}
          </button>
        </p>
      )}
      {learning && rig ? (
        <LearnBoard
          rig={rig}
          onDraft={(sheet) => {
            setLearning(false);
            setOpen({ kind: 'board', id: '', text: JSON.stringify(sheet, null, 2) });
          }}
        />
      ) : open ? (
        <SheetEditor key={open.kind + open.id + open.text.length} {...open} onDone={() => setOpen(undefined)} />
      ) : (
        <p className="max-w-[34rem] text-soft">
          Open a sheet on the right to read or change it. A sheet to start from is an exported one: change its id and
          import it again. docs/file-formats.md tells what each field means, with its unit.
        </p>
      )}
    </SheetWithDock>
  );
}

function SheetEditor({ kind, id, text: first, version, onDone }: Opened & { onDone: () => void }) {
  const owns = useOwns();
  const seen = useSeen(version);
  const [text, setText] = useState(first);
  const save = useMutation({
    meta: { touches: ['part'] },
    mutationFn: () => {
      const sheet = JSON.parse(text) as Record<string, unknown>;
      return take(
        api.PUT('/api/parts/{kind}/{id}', {
          params: { path: { kind, id: String(sheet.id ?? '') || 'none' } },
          headers: sheet.id === id ? seen.headers : undefined,
          body: sheet,
        }),
      );
    },
    onSuccess: seen.onSuccess,
    onError: seen.onError,
  });
  const remove = useMutation({
    meta: { touches: ['part'] },
    mutationFn: () => take(api.DELETE('/api/parts/{kind}/{id}', { params: { path: { kind, id } } })),
    onSuccess: onDone,
  });
  return (
    <form
      data-part={kind}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <textarea
        aria-label={`Sheet of the ${kind}`}
        value={text}
        spellCheck={false}
        rows={24}
        onChange={(e) => setText(e.target.value)}
        className="num block w-full border border-line bg-sheet p-2 text-[12.5px] leading-snug"
      />
      <p className="my-2 flex items-center gap-3">
        <Button main type="submit" disabled={save.isPending}>
          Save sheet
        </Button>
        <Button reads onClick={onDone}>
          Close
        </Button>
        {id && owns && <Button onClick={() => remove.mutate()}>Remove</Button>}
        {save.isSuccess && <span className="text-held">● saved</span>}
      </p>
      <Problem error={save.error ?? remove.error} />
    </form>
  );
}
