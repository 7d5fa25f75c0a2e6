import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { Schemas, Trial } from '../../api/client';
import { yardsticksQuery } from '../../api/queries';
import { decimalsOf, loadNames, num, span } from '../../ui/format';

type Figure = Schemas['Figure'];

/** What each leg came to: the settled value of every figure large, its course from lowest to highest below it. */
export function LegFigures({ trial, children }: { trial: Trial; children: ReactNode }) {
  const yardsticks = useQuery(yardsticksQuery);
  const legs = trial.legs.filter((l) => l.figures.length > 0);
  const rows = new Map<string, Figure>();
  for (const leg of legs) for (const f of leg.figures) if (!rows.has(f.key)) rows.set(f.key, f);
  const limiters = [...new Set(legs.flatMap((l) => Object.keys(l.limiters)))].filter((name) => name !== 'none');
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      <p className="mb-1 flex h-[22px] items-center gap-3 text-[13px]">
        {children}
        {legs.length === 0 && <span className="text-soft">No leg has ended yet; figures come with its verdict.</span>}
      </p>
      <table className="table-thin" data-figures="">
        <thead>
          <tr>
            <th className="sticky left-0 bg-paper">Figure</th>
            {legs.map((leg) => (
              <th key={leg.id} className="right pl-6">
                {yardsticks.data?.find((y) => y.id === leg.yardstick)?.name ?? loadNames[leg.load]}{' '}
                <span className="num font-normal text-soft">
                  {span(leg.ranS)}
                  {leg.scoredCore != null && `, core ${leg.scoredCore}`}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {[...rows.values()].map((row) => (
            <tr key={row.key} data-figure={row.key} className="first:text-[15px] first:font-semibold">
              <td className="sticky left-0 bg-paper pr-2 align-top whitespace-nowrap">
                {row.label} <span className="text-soft">{row.unit}</span>
              </td>
              {legs.map((leg) => (
                <FigureCell key={leg.id} figure={leg.figures.find((f) => f.key === row.key)} />
              ))}
            </tr>
          ))}
          {limiters.map((name) => (
            <tr key={name} data-limiter={name}>
              <td className="sticky left-0 bg-paper pr-2 whitespace-nowrap">
                Held by {name} <span className="text-soft">% of the time</span>
              </td>
              {legs.map((leg) => (
                <td key={leg.id} className="right num pl-6">
                  {leg.limiters[name] == null ? '–' : num(100 * leg.limiters[name], 0)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 max-w-[44rem] text-[13px] text-soft">
        Large: the value that the figure settles at under this load, with its 90 % interval where that is wider than the
        last digit; a leg too short for it shows its mean as “mean”. Small: lowest to highest.
      </p>
    </div>
  );
}

function FigureCell({ figure }: { figure?: Figure }) {
  if (!figure) return <td className="right align-top text-soft">–</td>;
  const decimals = decimalsOf(figure.unit);
  const { settled } = figure;
  const wide = settled && Number(settled.half.toFixed(decimals)) > 0;
  return (
    <td className="right num pl-6 align-top whitespace-nowrap" data-settled={settled?.near ?? false}>
      {settled?.near ? (
        <>
          {num(settled.value, decimals)}
          {wide && <span className="text-soft"> ±{num(settled.half, decimals)}</span>}
        </>
      ) : (
        <span
          title={settled ? `on its way to ${num(settled.value, decimals)} ±${num(settled.half, decimals)}` : undefined}
        >
          <span className="font-sans text-soft">mean </span>
          {num(figure.mean, decimals)}
        </span>
      )}
      <span className="block text-[12px] text-soft">
        {figure.low == null ? 'up to' : `${num(figure.low, decimals)} to`} {num(figure.peak, decimals)}
      </span>
    </td>
  );
}
