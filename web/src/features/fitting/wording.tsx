import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { settingsQuery } from '../../api/queries';
import { Button, Problem } from '../../ui/elements';
import { NumberField, WordField } from '../../ui/fields';

/** Writes in, once, how this board calls a setting, in which menus it keeps it, and what it takes. */
export function Wording({ rig, setting, onDone }: { rig: number; setting: string; onDone: () => void }) {
  const found = useQuery(settingsQuery(rig)).data?.find((s) => s.key === setting);
  const [label, setLabel] = useState<string>();
  const [menu, setMenu] = useState<string>();
  const [min, setMin] = useState<string>();
  const [max, setMax] = useState<string>();
  const [step, setStep] = useState<string>();
  const counted = (text?: string) => (text === undefined || text.trim() === '' ? undefined : Number(text));
  const save = useMutation({
    meta: { touches: ['part', 'rig', 'trim'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/wording', {
          params: { path: { rig } },
          body: {
            setting,
            label,
            menu: menu
              ?.split(/[›>/]/)
              .map((m) => m.trim())
              .filter(Boolean),
            min: counted(min),
            max: counted(max),
            step: counted(step),
          },
        }),
      ),
    onSuccess: onDone,
  });
  if (!found) return null;
  const number = found.type === 'number';
  return (
    <form
      className="border-b border-line bg-sheet px-3 py-2 text-[14px] print:hidden"
      data-wording={setting}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <p className="mb-1 text-soft">
        {found.name}: {found.meaning}
      </p>
      <div className="grid grid-cols-2 gap-x-4 gap-y-2">
        <WordField label="This board calls it" value={label ?? found.label} onChange={setLabel} />
        <WordField label="in the menus, from the first on" value={menu ?? found.menu.join(' › ')} onChange={setMenu} />
      </div>
      {number && (
        <div className="mt-2 grid grid-cols-3 gap-x-4">
          <NumberField
            label={`takes, from${found.unit && ` (${found.unit})`}`}
            value={min ?? String(found.min)}
            onChange={setMin}
          />
          <NumberField label="to" value={max ?? String(found.max)} onChange={setMax} />
          <NumberField label="in steps of" value={step ?? String(found.step)} onChange={setStep} />
        </div>
      )}
      <p className="mt-2 flex items-baseline gap-2">
        <Button main type="submit" disabled={save.isPending}>
          Write it in
        </Button>
        <Button onClick={onDone}>Leave it</Button>
        <span className="text-[13px] text-soft">for every rig with this board</span>
      </p>
      <Problem error={save.error} />
    </form>
  );
}
