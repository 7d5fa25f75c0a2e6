import { useQuery } from '@tanstack/react-query';
import type { Rig } from '../../api/client';
import { settingsQuery, trimsQuery } from '../../api/queries';
import { Button, Problem } from '../../ui/elements';
import { trimName, value } from '../../ui/format';
import { useFit } from '../trim/use-fit';

/** Tells that a trim is no longer in force, in what, and fits it again by one click. */
export function Drift({ rig }: { rig: Rig }) {
  const trims = useQuery(trimsQuery(rig.id));
  const settings = useQuery({ ...settingsQuery(rig.id), enabled: rig.parts != null });
  const fit = useFit(rig);
  const lost = trims.data?.find((t) => t.id === rig.lostTrim);
  if (!lost) return null;
  return (
    <div role="alert" data-drift="" className="mb-3 border border-caution px-3 py-2">
      <p className="text-caution">
        <span aria-hidden="true">✕ </span>
        {trimName(lost)} is no longer in force: after its last start the board had something else.
      </p>
      <ul className="my-1">
        {rig.drift.slice(0, 6).map((d) => (
          <li key={d.key}>
            {settings.data?.find((s) => s.key === d.key)?.name ?? d.key}:{' '}
            <span className="num">
              {value(d.wanted)} → {value(d.found)}
            </span>
          </li>
        ))}
        {rig.drift.length > 6 && <li className="text-soft">and {rig.drift.length - 6} more</li>}
      </ul>
      <Button main disabled={fit.isPending} onClick={() => fit.mutate(lost.id)}>
        Fit {trimName(lost)} again
      </Button>
      <Problem error={fit.error} />
    </div>
  );
}
