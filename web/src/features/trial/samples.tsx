import { useMutation } from '@tanstack/react-query';
import { api, type Trial, take } from '../../api/client';
import { useMayChange } from '../../api/me';
import { Problem, Section } from '../../ui/elements';
import { dayOf } from '../../ui/format';

/** Whether a trial's samples are there, and for how long. */
export function Samples({ trial }: { trial: Trial }) {
  const may = useMayChange();
  const keep = useMutation({
    meta: { touches: ['trial', 'record'] },
    mutationFn: (keep: boolean) =>
      take(api.PUT('/api/trials/{trial}/keep', { params: { path: { trial: trial.id } }, body: { keep } })),
  });
  return (
    <Section title="Samples">
      {trial.droppedAt ? (
        <p className="text-soft" data-samples="dropped">
          Dropped for their age on {dayOf(trial.droppedAt)}. The strips show what they were summed up to, every 30 s.
        </p>
      ) : (
        <p data-samples={trial.kept ? 'kept' : 'there'}>
          {trial.kept ? 'Kept for good.' : 'Kept as long as the bench keeps samples.'}{' '}
          {may && (
            <button
              type="button"
              className="underline"
              disabled={keep.isPending}
              onClick={() => keep.mutate(!trial.kept)}
            >
              {trial.kept ? 'No longer' : 'Keep them for good'}
            </button>
          )}
        </p>
      )}
      <Problem error={keep.error} />
    </Section>
  );
}
