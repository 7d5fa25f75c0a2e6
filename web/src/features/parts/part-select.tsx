import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { partsQuery } from '../../api/queries';
import { Button, Heading } from '../../ui/elements';
import { another, SheetEditor } from './sheet-editor';
import type { Kind } from './sheet-form';

/** The parts of a rig, as they are chosen. */
export const kinds = ['processor', 'board', 'cooler', 'memory'] as const;

interface PartSelectProps {
  kind: Kind;
  value: string | undefined;
  /** What stands there while nothing is chosen. */
  none: string;
  onChange: (id: string | undefined) => void;
}

/** Chooses one of the bench's sheets of a kind. */
export function PartSelect({ kind, value, none, onChange }: PartSelectProps) {
  const sheets = useQuery(partsQuery).data ?? [];
  return (
    <select
      className="block w-full border border-line bg-sheet px-1.5 py-0.5"
      value={value ?? ''}
      onChange={(e) => onChange(e.target.value || undefined)}
    >
      <option value="">{none}</option>
      {sheets
        .filter((s) => s.kind === kind)
        .map((s) => (
          <option key={s.id} value={s.id}>
            {s.name}
          </option>
        ))}
    </select>
  );
}

/** Makes a sheet on the way, begun like one that is there; done with its id, or without one where it is left. */
export function MakeSheet({ kind, onDone }: { kind: Kind; onDone: (id?: string) => void }) {
  const sheets = (useQuery(partsQuery).data ?? []).filter((s) => s.kind === kind);
  const [like, setLike] = useState<string>();
  const first = sheets.find((s) => s.id === like);
  if (first) {
    return (
      <div className="max-w-[60rem]">
        <SheetEditor kind={kind} id="" sheet={another(first.sheet)} onDone={() => onDone()} onSaved={onDone} />
      </div>
    );
  }
  return (
    <div className="max-w-[44rem]" data-make={kind}>
      <Heading note="then change what is otherwise">A new sheet: begin like which {kind}?</Heading>
      <ul className="row-rule mb-2">
        {sheets.map((s) => (
          <li key={s.id} className="py-[3px]">
            <button type="button" className="underline" onClick={() => setLike(s.id)}>
              {s.name}
            </button>
          </li>
        ))}
      </ul>
      <Button reads onClick={() => onDone()}>
        Leave it
      </Button>
    </div>
  );
}
