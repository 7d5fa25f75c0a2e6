import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Rig, take } from '../../api/client';
import { Button, Problem } from '../../ui/elements';
import { num } from '../../ui/format';
import type { Sheet } from './paths';

/** The attributes of a board's registry, each with the setting that it probably is. */
export function LearnBoard({ rig, onDraft }: { rig: Rig; onDraft: (sheet: Sheet) => void }) {
  const [find, setFind] = useState('');
  const [edited, setEdited] = useState<Record<string, string>>({});
  const list = useQuery({
    queryKey: ['registry', rig.id],
    queryFn: () => take(api.GET('/api/rigs/{rig}/registry', { params: { path: { rig: rig.id } } })),
  });
  const mapping = () =>
    Object.fromEntries(
      (list.data ?? []).map((a) => [a.attribute, edited[a.attribute] ?? a.setting]).filter(([, key]) => key),
    ) as Record<string, string>;
  const draft = useMutation({
    meta: { touches: [] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/registry/sheet', {
          params: { path: { rig: rig.id } },
          body: { id: 'new-board', model: `Board of ${rig.name}`, mapping: mapping() },
        }),
      ),
    onSuccess: (sheet) => onDraft(sheet as Sheet),
  });
  if (list.error) return <Problem error={list.error} />;
  if (!list.data) return <p className="text-soft">Reading the board’s registry …</p>;
  const shown = list.data.filter((a) =>
    `${a.attribute} ${a.label} ${a.menu.join(' ')} ${a.setting}`.toLowerCase().includes(find.toLowerCase()),
  );
  const known = list.data.filter((a) => a.setting).length;
  return (
    <div data-registry="">
      <p className="mb-2 text-soft">
        {list.data.length} attributes, {known} of them recognised. Check what each one is, by the key of its setting;
        what stands empty is left out of the sheet.
      </p>
      <p className="mb-2">
        <Button reads main disabled={draft.isPending} onClick={() => draft.mutate()}>
          Make a sheet of it
        </Button>
      </p>
      <Problem error={draft.error} />
      <datalist id="setting-keys">
        {[...new Set(list.data.map((a) => a.setting).filter(Boolean))].map((key) => (
          <option key={key} value={key} />
        ))}
      </datalist>
      <input
        type="search"
        aria-label="Find an attribute"
        placeholder="Find an attribute"
        value={find}
        onChange={(e) => setFind(e.target.value)}
        className="mb-2 block w-full border-b border-line bg-transparent px-1 py-0.5"
      />
      <table className="table-thin w-full">
        <thead>
          <tr>
            <th>On the board</th>
            <th>Menu</th>
            <th>Takes</th>
            <th>Probably</th>
            <th className="right">Likeness</th>
          </tr>
        </thead>
        <tbody>
          {shown.slice(0, 200).map((a) => (
            <tr key={a.attribute}>
              <td>
                {a.label} <span className="num block text-[12px] text-soft">{a.attribute}</span>
              </td>
              <td className="text-[13px] text-soft">{a.menu.join(' › ')}</td>
              <td className="num text-[13px] text-soft">
                {a.positions.length > 0 ? a.positions.join(', ') : `${num(a.min)} to ${num(a.max)} by ${num(a.step)}`}
              </td>
              <td>
                <input
                  aria-label={`Setting of ${a.attribute}`}
                  list="setting-keys"
                  value={edited[a.attribute] ?? a.setting}
                  placeholder="not recognised"
                  onChange={(e) => setEdited((now) => ({ ...now, [a.attribute]: e.target.value }))}
                  className="num w-[230px] border border-line bg-sheet px-1"
                />
              </td>
              <td className="right num text-soft">{a.setting ? `${num(100 * a.score)} %` : ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
