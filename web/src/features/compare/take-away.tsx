import { useMutation } from '@tanstack/react-query';
import { Button, Problem, Section } from '../../ui/elements';

/** The comparison as a table: for a spreadsheet's clipboard, or as a file. */
export function TakeAway({ trims }: { trims: number[] }) {
  const path = (form: string) => `/api/comparison/table?form=${form}&trim=${trims.join(',')}`;
  const copy = useMutation({
    meta: { touches: [] },
    mutationFn: async () => {
      const answer = await fetch(path('tabs'));
      if (!answer.ok) throw new Error('The server does not give the table.');
      await navigator.clipboard.writeText(await answer.text());
    },
  });
  return (
    <Section title="Take it away">
      <div className="flex items-center gap-3">
        <Button reads onClick={() => copy.mutate()} disabled={copy.isPending}>
          {copy.isSuccess ? 'Copied' : 'Copy as a table'}
        </Button>
        <a className="underline" href={path('csv')}>
          CSV
        </a>
      </div>
      <Problem error={copy.error} />
    </Section>
  );
}
