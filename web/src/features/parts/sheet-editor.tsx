import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { useOwns } from '../../api/me';
import { useSeen } from '../../api/version';
import { Button, Heading, Problem } from '../../ui/elements';
import type { Sheet } from './paths';
import { type Kind, SheetForm } from './sheet-form';

/** A sheet that is open: one of the bench with its version, or one that is new or was brought, without id. */
export interface Opened {
  kind: Kind;
  id: string;
  sheet: Sheet;
  /** Paths that a machine told. */
  told?: string[];
  /** Text that is no sheet yet. */
  text?: string;
  version?: string;
}

const words: Record<Kind, string> = {
  processor: 'processor',
  board: 'board and supply',
  cooler: 'cooler',
  memory: 'memory kit',
};

/** A file's text as a sheet; as text where it is none. */
export function read(text: string): { sheet: Sheet; text?: string } {
  try {
    return { sheet: JSON.parse(text) as Sheet };
  } catch {
    return { sheet: {}, text };
  }
}

/** A sheet as one begins another like it. */
export const another = (sheet: Sheet): Sheet => ({ ...sheet, id: '', model: '' });

interface EditorProps extends Opened {
  onDone: () => void;
  onCopy?: (sheet: Sheet) => void;
  /** Called once the sheet is saved, with its id. */
  onSaved?: (id: string) => void;
}

/** One sheet, made or changed in its form, or as text. */
export function SheetEditor({ kind, id, sheet: first, told = [], text: broken, version, ...on }: EditorProps) {
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
    onSuccess: (saved) => {
      seen.onSuccess(saved);
      on.onSaved?.(saved.id);
    },
    onError: seen.onError,
  });
  const remove = useMutation({
    meta: { touches: ['part'] },
    mutationFn: () => take(api.DELETE('/api/parts/{kind}/{id}', { params: { path: { kind, id } } })),
    onSuccess: on.onDone,
  });
  const name = sheet.model ? [sheet.maker, sheet.model].filter(Boolean).join(' ') : '';
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
      <Heading note={words[kind]}>{name || 'A new sheet'}</Heading>
      <p className="mb-2 flex flex-wrap items-center gap-3">
        <Button main type="submit" disabled={save.isPending}>
          Save sheet
        </Button>
        <Button reads onClick={on.onDone}>
          Close
        </Button>
        {id && on.onCopy && (
          <Button reads onClick={() => on.onCopy?.(sheet)}>
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
