import type { Trim } from '../api/client';

type Word = Trim['standing'];

/** How much of its disc a standing fills: a quarter for tried, half for held, all for proven. */
const filled: Partial<Record<Word, number>> = { tried: 0.25, held: 0.5, proven: 1 };

/** The disc of a standing about the origin: filled by its grade, dashed for a draft, a rock cross for what failed. */
export function StandingDisc({ standing, r }: { standing: Word; r: number }) {
  if (standing === 'failed')
    return <path d={`M${-r - 1},0 H${r + 1} M0,${-r - 1} V${r + 1}`} stroke="var(--caution)" strokeWidth={r / 2} />;
  const share = filled[standing] ?? 0;
  const end = 2 * Math.PI * share;
  return (
    <>
      <circle
        r={r}
        fill={share === 1 ? 'var(--held)' : 'var(--paper)'}
        stroke="var(--ink)"
        strokeWidth={r / 4}
        strokeDasharray={standing === 'draft' ? '2.5 2' : undefined}
      />
      {share > 0 && share < 1 && (
        <path
          d={`M0,0 V${-r} A${r},${r} 0 ${share > 0.5 ? 1 : 0} 1 ${r * Math.sin(end)},${-r * Math.cos(end)} Z`}
          fill="var(--held)"
        />
      )}
    </>
  );
}

/** A trim's standing as a word, with its disc beside it so that it is told without colour too. */
export function Standing({ standing }: { standing: Word }) {
  const good = standing in filled;
  return (
    <span
      className={good ? 'font-semibold text-held' : standing === 'failed' ? 'font-semibold text-caution' : 'text-soft'}
      data-standing={standing}
    >
      <svg width={11} height={11} viewBox="-6 -6 12 12" className="mr-1 inline-block" aria-hidden="true">
        <StandingDisc standing={standing} r={4.6} />
      </svg>
      {standing}
    </span>
  );
}
