import { Link } from 'wouter';
import type { Schemas, Trim } from '../../api/client';
import { trimName } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { stepNames, surveys } from '../pilot/at-work';

/** What came of each step, in the order in which they were carried out: one that was gone back to stands twice. */
export function StepTable({ rig, pilot, trims }: { rig: number; pilot: Schemas['Pilot']; trims: Trim[] }) {
  return (
    <table className="table-thin w-full">
      <thead>
        <tr>
          <th>Step</th>
          <th>Trim</th>
          <th>What came of it</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {pilot.done.map((d, i) => {
          const trim = trims.find((t) => t.id === d.trim);
          const sheet = surveys.includes(d.kind) ? 'soundings' : 'trim';
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: steps are only ever added at the end
            <tr key={i} data-done={d.kind} className={d.skipped ? 'text-soft' : ''}>
              <td className="whitespace-nowrap">{stepNames[d.kind] ?? d.kind}</td>
              <td className="whitespace-nowrap">
                {trim && (
                  <Link href={sheetPath(rig, sheet, trim.id)} className="underline">
                    {trimName(trim)}
                  </Link>
                )}
              </td>
              <td>
                {d.skipped && 'left out: '}
                {d.words}
                {trim && d.kept && !d.skipped && d.kind !== 'comparison' && trim.summary && (
                  <span className="block text-[12.5px] text-soft">{trim.summary}</span>
                )}
              </td>
              <td className="whitespace-nowrap">
                {d.trial != null && (
                  <Link href={sheetPath(rig, 'trial', d.trial)} className="underline">
                    trial
                  </Link>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
