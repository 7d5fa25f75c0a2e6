import type { Schemas } from '../../api/client';
import { yardstickWord } from '../../ui/format';

interface PicksProps {
  yardsticks: Schemas['Yardstick'][];
  picked: string[];
  onPick: (picked: string[]) => void;
}

/** The yardsticks to take, each to be ticked. */
export function YardstickPicks({ yardsticks, picked, onPick }: PicksProps) {
  const toggle = (id: string) => onPick(picked.includes(id) ? picked.filter((one) => one !== id) : [...picked, id]);
  return (
    <ul className="mb-1.5 grid grid-cols-[auto_auto] justify-between text-[13px]">
      {yardsticks.map((y) => (
        <li key={y.id}>
          <label className="flex items-center gap-1.5 whitespace-nowrap" title={`${y.name}, ${y.unit}`}>
            <input type="checkbox" checked={picked.includes(y.id)} onChange={() => toggle(y.id)} />
            {yardstickWord(y.name)}
          </label>
        </li>
      ))}
    </ul>
  );
}
