import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { trimsQuery, useRig } from '../../api/queries';
import { Button, Problem, Section } from '../../ui/elements';
import { trimName } from '../../ui/format';

type Kind = Schemas['ReportIncidentRequest']['kind'];

const kinds: [Kind, string][] = [
  ['froze', 'It froze'],
  ['restarted', 'It restarted by itself'],
  ['glitch', 'A program failed, or something else'],
];

/** Enters a fault seen in daily use against the trim in force. */
export function ReportIncident({ rig }: { rig: number }) {
  const owner = useRig(rig);
  const trims = useQuery(trimsQuery(rig));
  const [kind, setKind] = useState<Kind>('froze');
  const [text, setText] = useState('');
  const trim = trims.data?.find((t) => t.id === owner?.trimInForce);
  const report = useMutation({
    meta: { touches: ['incident'] },
    mutationFn: () =>
      take(api.POST('/api/rigs/{rig}/incidents', { params: { path: { rig } }, body: { kind, text: text.trim() } })),
    onSuccess: () => {
      setText('');
    },
  });
  return (
    <Section title="Incident" note="a fault in daily use">
      {trim ? (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            report.mutate();
          }}
        >
          <select
            aria-label="What happened"
            value={kind}
            onChange={(e) => setKind(e.target.value as Kind)}
            className="mb-1 w-full border border-line bg-sheet px-1 py-0.5"
          >
            {kinds.map(([k, name]) => (
              <option key={k} value={k}>
                {name}
              </option>
            ))}
          </select>
          <textarea
            aria-label="In what"
            value={text}
            maxLength={500}
            rows={2}
            placeholder="what the machine was doing"
            onChange={(e) => setText(e.target.value)}
            className="mb-1 w-full border border-line bg-sheet px-1.5 py-1"
          />
          <Button type="submit" disabled={report.isPending}>
            Hold against {trimName(trim)}
          </Button>
          {trim.proof && trim.proof.sumS > 0 && (
            <p className="mt-1 text-[13px] text-soft">
              What it stood so far no longer counts; it has to be proven anew.
            </p>
          )}
        </form>
      ) : (
        <p className="text-soft">No trim is known to be in force.</p>
      )}
      <Problem error={report.error} />
    </Section>
  );
}
