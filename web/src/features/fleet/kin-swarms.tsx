import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { useLocation } from 'wouter';
import type { Rig, Schemas } from '../../api/client';
import { kinQuery } from '../../api/queries';
import { num } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';

type Kin = Schemas['Kin'];
type Trait = Schemas['KinTrait'];

/** What rigs of a kind differ in by nature, and which way is the good one. */
const titles: Record<Trait['what'], (kin: Kin) => [string, string]> = {
  limit: () => ['Limit', 'mV below as delivered at which its cores fail within minutes; more is better'],
  volts: (kin) => ['Voltage', `mV that a core asks for at ${num(kin.mhz)} MHz; less is better`],
  leakage: () => ['Leakage', '% of a typical chip; less is cooler'],
  mount: () => ['As mounted', '% of its cooler’s sheet; more is a poor seat'],
};

/** Rigs with the same processor, each a dot by what its records tell of it: one that stands out is seen at once. */
export function KinSwarms({ rigs, known }: { rigs: Rig[]; known: number }) {
  const kin = useQuery(kinQuery(known));
  if (!kin.data || kin.data.length === 0) return null;
  return (
    <section className="mt-5" data-kin={kin.data.length}>
      <h2 className="mb-1 text-[15px] font-semibold">
        Among their kind{' '}
        <span className="text-[12.5px] font-normal text-soft">
          as each rig’s own records tell, with 90 % intervals; what they do not tell is left out
        </span>
      </h2>
      {kin.data.map((k) => (
        <div key={k.processor} className="mb-3" data-kind={k.processor}>
          <h3 className="text-[13px] text-soft">{k.processor}</h3>
          <div className="grid grid-cols-1 gap-x-6 md:grid-cols-2 2xl:grid-cols-4">
            {k.traits.map((t) => (
              <Swarm key={t.what} kin={k} trait={t} rigs={rigs} />
            ))}
          </div>
        </div>
      ))}
    </section>
  );
}

interface SwarmProps {
  kin: Kin;
  trait: Trait;
  rigs: Rig[];
}

const width = 330;
const row = 15;
const side = 16;

/** Dots along a scale, in as many rows as keep their names apart. */
function Swarm({ kin, trait, rigs }: SwarmProps) {
  const [, go] = useLocation();
  const [title, meaning] = titles[trait.what](kin);
  const ends = trait.rigs.flatMap((r) => [r.value - r.half, r.value + r.half]);
  const x = scaleLinear([Math.min(...ends), Math.max(...ends)], [side, width - side - 46]).nice(5);
  const placed = rowsOf(
    trait.rigs.map((r) => {
      const name = rigs.find((o) => o.id === r.rig)?.name ?? String(r.rig);
      return {
        ...r,
        name,
        from: x(r.value - r.half),
        to: Math.max(x(r.value + r.half), x(r.value) + 12 + 6.2 * name.length),
      };
    }),
  );
  const height = 20 + row * placed.length;
  return (
    <figure data-trait={trait.what}>
      <figcaption className="text-[13px]">
        <strong className="font-semibold">{title}</strong> <span className="text-soft">{meaning}</span>
      </figcaption>
      <svg viewBox={`0 0 ${width} ${height}`} className="w-full max-w-[26rem]">
        <title>{`${title}, ${meaning}`}</title>
        {x.ticks(5).map((v) => (
          <g key={v}>
            <line x1={x(v)} x2={x(v)} y1={2} y2={height - 16} stroke="var(--line)" strokeWidth="0.7" />
            <text x={x(v)} y={height - 4} textAnchor="middle" fontSize="10.5" className="num" fill="var(--soft)">
              {num(v)}
            </text>
          </g>
        ))}
        {placed.map((line, i) =>
          line.map((r) => {
            const y = 10 + row * i;
            const ink = r.strays ? 'var(--caution)' : 'var(--ink)';
            return (
              // biome-ignore lint/a11y/useSemanticElements: a link inside a drawing
              <g
                key={r.rig}
                role="link"
                tabIndex={0}
                className="cursor-pointer"
                data-kin-rig={r.name}
                data-strays={r.strays}
                onClick={() => go(sheetPath(r.rig, 'rig'))}
                onKeyDown={(e) => e.key === 'Enter' && go(sheetPath(r.rig, 'rig'))}
              >
                <title>{`${r.name}: ${num(r.value, 1)} ± ${num(r.half, 1)} ${trait.unit}${r.strays ? ', stands out' : ''}`}</title>
                <line x1={x(r.value - r.half)} x2={x(r.value + r.half)} y1={y} y2={y} stroke={ink} strokeWidth="1" />
                {r.strays ? (
                  <path d={`M${x(r.value) - 4} ${y - 4}l8 8m0 -8l-8 8`} stroke={ink} strokeWidth="1.8" />
                ) : (
                  <circle cx={x(r.value)} cy={y} r="3.6" fill={ink} />
                )}
                <text
                  x={x(r.value) + 7}
                  y={y - 2}
                  fontSize="10.5"
                  fill={ink}
                  paintOrder="stroke"
                  stroke="var(--paper)"
                  strokeWidth="2.5"
                >
                  {r.name}
                </text>
              </g>
            );
          }),
        )}
      </svg>
    </figure>
  );
}

interface Placed {
  from: number;
  to: number;
}

/** Puts each into the first row that has room for it and its name. */
function rowsOf<T extends Placed>(list: T[]): T[][] {
  const rows: T[][] = [];
  for (const one of list.toSorted((a, b) => a.from - b.from)) {
    const free = rows.find((r) => (r.at(-1)?.to ?? 0) + 4 < one.from);
    if (free) free.push(one);
    else rows.push([one]);
  }
  return rows;
}
