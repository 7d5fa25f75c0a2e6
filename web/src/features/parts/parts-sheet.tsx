import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useOwns } from '../../api/me';
import { partsQuery, toldQuery, useRig } from '../../api/queries';
import { useSeen } from '../../api/version';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import type { SheetProps } from '../../ui/sheet';
import { LearnBoard } from './learn-board';
import type { Sheet } from './paths';
import { type Kind, SheetForm } from './sheet-form';

type Part = Schemas['Part'];

/** A sheet that is open: one of the bench with its version, or one that is new or was brought, without id. */
interface Opened {
  kind: Kind;
  id: string;
  sheet: Sheet;
  /** Paths that a machine told. */
  told?: string[];
  /** Text that is no sheet yet. */
  text?: string;
  version?: string;
}

const kinds: [Kind, string, string][] = [
  ['processor', 'Processors', 'processor'],
  ['board', 'Boards', 'board and supply'],
  ['cooler', 'Coolers', 'cooler'],
  ['memory', 'Memory', 'memory kit'],
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
          onCopy={(sheet) => setOpen({ kind: open.kind, id: '', sheet: { ...sheet, id: '', model: '' } })}
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

/** A file's text as a sheet; as text where it is none. */
function read(text: string): { sheet: Sheet; text?: string } {
  try {
    return { sheet: JSON.parse(text) as Sheet };
  } catch {
    return { sheet: {}, text };
  }
}

interface EditorProps extends Opened {
  onDone: () => void;
  onCopy: (sheet: Sheet) => void;
}

function SheetEditor({ kind, id, sheet: first, told = [], text: broken, version, onDone, onCopy }: EditorProps) {
  const owns = useOwns();
  const seen = useSeen(version);
  const [sheet, setSheet] = useState(first);
  const [text, setText] = useState(broken);
  const save = useMutation({
    meta: { touches: ['part'] },
    mutationFn: () => {
      const body = text === undefined ? sheet : (JSON.parse(text) as Sheet);
      return take(
        api.PUT('/api/parts/{kind}/{id}', {
          params: { path: { kind, id: String(body.id ?? '') || 'none' } },
          headers: body.id === id ? seen.headers : undefined,
          body,
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
  const name = [sheet.maker, sheet.model].filter(Boolean).join(' ');
  const sketch = sheet.source === 'sketch' || sheet.source === 'running system';
  const turn = () => {
    if (text === undefined) setText(JSON.stringify(sheet, null, 2));
    else {
      const now = read(text);
      setSheet(now.text === undefined ? now.sheet : sheet);
      setText(now.text);
    }
  };
  return (
    <form
      data-part={kind}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <Heading note={kinds.find(([k]) => k === kind)?.[2]}>{name || 'A new sheet'}</Heading>
      <p className="mb-2 flex flex-wrap items-center gap-3">
        <Button main type="submit" disabled={save.isPending}>
          Save sheet
        </Button>
        <Button reads onClick={onDone}>
          Close
        </Button>
        {id && (
          <Button reads onClick={() => onCopy(sheet)}>
            Another like it
          </Button>
        )}
        {id && owns && <Button onClick={() => remove.mutate()}>Remove</Button>}
        <button type="button" className="text-[13px] text-soft underline" onClick={turn}>
          {text === undefined ? 'as text' : 'as a form'}
        </button>
        {save.isSuccess && <span className="text-held">● saved</span>}
      </p>
      <Problem error={save.error ?? remove.error} />
      {sketch && (
        <p className="mb-2 max-w-[46rem] border-l-4 border-tint-4 pl-2">
          A sketch: {told.length > 0 ? 'what is marked ● was told by the machine, and' : ''} every other figure is a
          placeholder. Nothing is forecast from it until its figures are right and it says that they are{' '}
          <em>entered</em>.
        </p>
      )}
      {text === undefined ? (
        <SheetForm kind={kind} sheet={sheet} told={told} onChange={setSheet} />
      ) : (
        <textarea
          aria-label={`Sheet of the ${kind}`}
          value={text}
          spellCheck={false}
          rows={24}
          onChange={(e) => setText(e.target.value)}
          className="num block w-full border border-line bg-sheet p-2 text-[12.5px] leading-snug"
        />
      )}
    </form>
  );
}
