import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useOwns } from '../../api/me';
import { recordsQuery } from '../../api/queries';
import { Confirm } from '../../ui/confirm';
import { Button, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { bytes, monthOf } from '../../ui/format';
import { Carry } from './carry';

type Records = Schemas['Records'];

const choices = [0, 3, 6, 12, 24, 36, 60];

const forHowLong = (months: number) =>
  months === 0
    ? 'for good'
    : months % 12 === 0
      ? `${months / 12} ${months === 12 ? 'year' : 'years'}`
      : `${months} months`;

/** How much the bench has recorded, and how long samples are kept. */
export function RecordsSheet() {
  const owns = useOwns();
  const [months, setMonths] = useState<number>();
  const now = useQuery(recordsQuery());
  const then = useQuery({ ...recordsQuery(months), placeholderData: (before) => before });
  const shown = months === undefined ? now.data : then.data;
  return (
    <SheetWithDock
      dock={
        now.data &&
        (owns ? (
          <>
            <Keeping records={now.data} preview={then.data} months={months} onMonths={setMonths} />
            <Carry />
          </>
        ) : null)
      }
    >
      <Heading note="what has been recorded, and for how long samples are kept">Records</Heading>
      <Problem error={now.error ?? then.error} />
      {shown && (
        <>
          <p className="mb-1">
            The whole database takes <strong className="num">{bytes(shown.bytes)}</strong>; samples are kept{' '}
            <strong>{forHowLong(shown.keepMonths)}</strong>.
          </p>
          <p className="mb-4 text-soft">
            {shown.perDay === null || shown.perYear === null
              ? 'How fast it grows is told once there is a week of records.'
              : `A day brought ${bytes(shown.perDay)} of samples on average: at that pace, a year brings ${bytes(shown.perYear)}.`}
          </p>
          <Months records={shown} />
        </>
      )}
    </SheetWithDock>
  );
}

function Months({ records }: { records: Records }) {
  if (records.months.length === 0) return <p className="text-soft">No samples are stored yet.</p>;
  return (
    <table className="table-thin w-full max-w-[44rem]">
      <thead>
        <tr>
          <th>Stored in</th>
          <th className="right">Samples</th>
          <th className="w-1/2">Share</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {records.months.map((m) => (
          <tr key={m.month} data-month={m.month || 'kept'}>
            <td className="whitespace-nowrap">{m.month ? monthOf(m.month) : 'trials that are kept for good'}</td>
            <td className="num right">{bytes(m.bytes)}</td>
            <td>
              <span
                aria-hidden="true"
                className="inline-block h-2 min-w-px bg-ink/60"
                style={{ width: `${100 * m.share}%` }}
              />
            </td>
            <td className="whitespace-nowrap text-caution">{m.drops && '✕ would be dropped'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface KeepingProps {
  records: Records;
  preview?: Records;
  months?: number;
  onMonths: (months?: number) => void;
}

/** For how long samples are kept, which an owner says. */
function Keeping({ records, preview, months, onMonths }: KeepingProps) {
  const [asking, setAsking] = useState(false);
  const keep = useMutation({
    meta: { touches: ['record'] },
    mutationFn: (keepMonths: number) => take(api.PUT('/api/records', { body: { keepMonths } })),
    onSuccess: () => onMonths(undefined),
  });
  const chosen = months ?? records.keepMonths;
  const going = preview?.months.filter((m) => m.drops) ?? [];
  return (
    <Section title="Keep samples">
      <select
        aria-label="Keep samples"
        className="mb-2 w-full border border-line bg-sheet px-1.5 py-1"
        value={chosen}
        onChange={(e) => onMonths(Number(e.target.value))}
      >
        {[...new Set([...choices, records.keepMonths])]
          .sort((a, b) => a - b)
          .map((n) => (
            <option key={n} value={n}>
              {forHowLong(n)}
            </option>
          ))}
      </select>
      <p className="mb-3 text-[13px] text-soft">
        Older ones are dropped by the month in which they were stored. What they are summed up to, every 30 s, stays: so
        do figures, verdicts and scores. Trials whose samples are kept for good lose nothing.
      </p>
      <Button
        main
        disabled={chosen === records.keepMonths || keep.isPending}
        onClick={() => (going.length > 0 ? setAsking(true) : keep.mutate(chosen))}
      >
        {keep.isPending ? 'Dropping …' : 'Keep them so'}
      </Button>
      <Problem error={keep.error} />
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title={`Keep samples ${forHowLong(chosen)}?`}
        action="Drop the older ones"
        back="Keep them"
        onConfirm={() => keep.mutate(chosen)}
      >
        {`Dropped for good: the samples of ${going.map((m) => monthOf(m.month)).join(', ')}. Only a backup brings them back.`}
      </Confirm>
    </Section>
  );
}
