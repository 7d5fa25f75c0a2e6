import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Rig, take } from '../../api/client';
import { Button, Problem } from '../../ui/elements';
import { NumberField, WordField } from '../../ui/fields';

const styles = [
  ['ceiling', 'PPT, TDC and EDC'],
  ['window', 'PL1, PL2 and tau'],
] as const;

/** What has to be known of a machine without sheets before its settings can be entered from cards, by their trade names. */
export function HandSketch({ rig, onDone }: { rig: Rig; onDone: () => void }) {
  const [board, setBoard] = useState(rig.facts?.board ?? '');
  const [style, setStyle] = useState<string>('ceiling');
  const [cores, setCores] = useState(rig.facts ? String(rig.facts.cores) : '');
  const [small, setSmall] = useState('');
  const [threads, setThreads] = useState(rig.facts && rig.facts.threads === rig.facts.cores ? '1' : '2');
  const [levels, setLevels] = useState('');
  const [delivered, setDelivered] = useState('');
  const [points, setPoints] = useState('');
  const counted = (text: string) => (text.trim() === '' ? undefined : Number(text));
  const make = useMutation({
    meta: { touches: ['rig', 'trim', 'part'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/hand-sketch', {
          params: { path: { rig: rig.id } },
          body: {
            board,
            style,
            cores: counted(cores),
            efficiencyCores: counted(small),
            threads: counted(threads),
            levels: counted(levels),
            delivered: counted(delivered),
            fanPoints: counted(points),
          },
        }),
      ),
    onSuccess: onDone,
  });
  return (
    <form
      className="mt-2 max-w-[30rem] border-l-2 border-tint-3 pl-3"
      data-hand-sketch=""
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <WordField label="Board, as it is called" value={board} onChange={setBoard} />
      <fieldset className="my-2">
        <legend className="text-[13px] text-soft">Its limits are</legend>
        {styles.map(([key, words]) => (
          <label key={key} className="mr-4 inline-flex items-baseline gap-1.5">
            <input type="radio" name="style" checked={style === key} onChange={() => setStyle(key)} />
            {words}
          </label>
        ))}
      </fieldset>
      <div className="grid grid-cols-3 gap-x-4 gap-y-2">
        <NumberField label="Cores" value={cores} onChange={setCores} />
        <NumberField label="of them E-cores" value={small} onChange={setSmall} />
        <NumberField label="Threads a core" value={threads} onChange={setThreads} />
        <NumberField label="LLC levels" value={levels} onChange={setLevels} />
        <NumberField label="as delivered" value={delivered} onChange={setDelivered} />
        <NumberField label="Fan curve points" value={points} onChange={setPoints} />
      </div>
      <p className="mt-2 flex gap-2">
        <Button main type="submit" disabled={!board.trim() || make.isPending}>
          Name its settings
        </Button>
        <Button onClick={onDone}>Not now</Button>
      </p>
      <Problem error={make.error} />
    </form>
  );
}
