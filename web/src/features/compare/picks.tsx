import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { rigsQuery, trimsQuery } from '../../api/queries';
import { Section } from '../../ui/elements';
import { trimName } from '../../ui/format';
import { mostCompared } from './compare-sheet';

interface PicksProps {
  rig: number;
  of: Schemas['Compared'][];
  chosen: number[];
  onChoose: (trims: number[]) => void;
}

/** What is held side by side: the base first, others to take away, and one more to add, also of another rig. */
export function Picks({ rig, of, chosen, onChoose }: PicksProps) {
  const rigs = useQuery(rigsQuery);
  const [from, setFrom] = useState(rig);
  const trims = useQuery(trimsQuery(from));
  const look = 'min-w-0 border border-line bg-sheet px-1 py-0.5';
  return (
    <Section title="Side by side" note="the first is the base">
      <ol className="row-rule text-[13px]" data-picks={chosen.length}>
        {chosen.map((trim, i) => {
          const one = of.find((x) => x.trim === trim);
          return (
            <li key={trim} className="flex items-baseline gap-2 py-0.5">
              <span className="min-w-0 flex-1 truncate">
                <strong>{one?.name ?? `trim ${trim}`}</strong>{' '}
                {one && one.number > 0 && <span className="text-soft">{one.trimName}</span>}
              </span>
              {i > 0 && (
                <button
                  type="button"
                  className="underline"
                  onClick={() => onChoose([trim, ...chosen.filter((x) => x !== trim)])}
                >
                  base
                </button>
              )}
              <button
                type="button"
                aria-label={`Take ${one?.name ?? trim} away`}
                className="px-1"
                onClick={() => onChoose(chosen.filter((x) => x !== trim))}
              >
                ✕
              </button>
            </li>
          );
        })}
      </ol>
      {chosen.length < mostCompared && (
        <div className="mt-1.5 grid grid-cols-[5.5rem_1fr] gap-1.5 text-[13px]">
          <select aria-label="Rig" className={look} value={from} onChange={(e) => setFrom(Number(e.target.value))}>
            {rigs.data?.map((r) => (
              <option key={r.id} value={r.id}>
                {r.name}
              </option>
            ))}
          </select>
          <select
            aria-label="Add a trim"
            className={look}
            value=""
            onChange={(e) => onChoose([...chosen, Number(e.target.value)])}
          >
            <option value="">Add a trim …</option>
            {trims.data
              ?.filter((t) => !chosen.includes(t.id))
              .map((t) => (
                <option key={t.id} value={t.id}>
                  {trimName(t)} {t.number > 0 && t.name} ({t.standing})
                </option>
              ))}
          </select>
        </div>
      )}
    </Section>
  );
}
