import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { partsQuery, toldQuery, useRig } from '../../api/queries';
import { Heading, Section, SheetWithDock } from '../../ui/elements';
import type { SheetProps } from '../../ui/sheet';
import { LearnBoard } from './learn-board';
import { another, type Opened, read, SheetEditor } from './sheet-editor';
import type { Kind } from './sheet-form';

type Part = Schemas['Part'];

const kinds: [Kind, string][] = [
  ['processor', 'Processors'],
  ['board', 'Boards'],
  ['cooler', 'Coolers'],
  ['memory', 'Memory'],
];

/** The data of processors, boards, coolers and memory kits: made and changed in forms, brought in and taken out as files. */
export function PartsSheet({ rig: id }: SheetProps) {
  const parts = useQuery(partsQuery);
  const rig = useRig(id);
  const drafts = useQuery({ ...toldQuery(id), enabled: rig !== undefined }).data?.drafts ?? [];
  const [open, setOpen] = useState<Opened>();
  const [learning, setLearning] = useState(false);
  if (!parts.data) return <p className="p-4 text-soft">Reading the part sheets …</p>;
  const show = (p: Part) => setOpen({ kind: p.kind as Kind, id: p.id, sheet: p.sheet, version: p.version });
  const bring = async (kind: Kind, file: File) => {
    const text = await file.text();
    setOpen({ kind, id: '', ...read(text) });
  };
  const dock = (
    <>
      {kinds.map(([kind, title]) => {
        const draft = drafts.find((d) => d.kind === kind && (d.told.length > 0 || kind === 'cooler'));
        return (
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
            <p className="flex flex-wrap gap-x-3 text-[13px] text-soft">
              {draft && (
                <button
                  type="button"
                  className="underline"
                  onClick={() => setOpen({ kind, id: '', sheet: draft.sheet, told: draft.told })}
                >
                  New, as {rig?.name} tells
                </button>
              )}
              <label className="cursor-pointer underline">
                Import a file
                <input
                  type="file"
                  accept=".json"
                  className="sr-only"
                  onChange={(e) => e.target.files?.[0] && bring(kind, e.target.files[0])}
                />
              </label>
            </p>
          </Section>
        );
      })}
    </>
  );
  return (
    <SheetWithDock dock={dock}>
      {!open && (
        <Heading note="what is known of a model; how one chip strays from it is found on the rig">Part sheets</Heading>
      )}
      {!open && rig?.canFit && (
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
            setOpen({ kind: 'board', id: '', sheet });
          }}
        />
      ) : open ? (
        <SheetEditor
          key={open.kind + open.id + (open.version ?? JSON.stringify(open.told) + String(open.sheet.id))}
          {...open}
          onDone={() => setOpen(undefined)}
          onCopy={(sheet) => setOpen({ kind: open.kind, id: '', sheet: another(sheet) })}
        />
      ) : (
        <p className="max-w-[34rem] text-soft">
          Open a sheet on the right to read or change it, or to make another like it. A machine that is linked begins
          its own sheets by what it tells of itself.
        </p>
      )}
    </SheetWithDock>
  );
}
