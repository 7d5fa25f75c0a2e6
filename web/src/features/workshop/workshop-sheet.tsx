import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Schemas, take } from '../../api/client';
import { useOwns } from '../../api/me';
import { workshopQuery } from '../../api/queries';
import { Button, Heading, Problem, Section } from '../../ui/elements';

type Workshop = Schemas['Workshop'];

const uses: [keyof Workshop['hours'], string][] = [
  ['idle', 'idle'],
  ['light', 'light work'],
  ['mixed', 'game-like'],
  ['heavy', 'full load'],
];

/** What the workshop says of itself: who hands machines over, what a kWh costs, and how a day is reckoned. */
export function WorkshopSheet() {
  const own = useQuery(workshopQuery);
  return (
    <div className="h-full overflow-auto px-4 py-3">
      <Heading note="who hands machines over, and by what a year is reckoned">Workshop</Heading>
      <Problem error={own.error} />
      {own.data && <Form own={own.data} />}
    </div>
  );
}

function Form({ own }: { own: Workshop }) {
  const owns = useOwns();
  const [draft, setDraft] = useState(own);
  const save = useMutation({
    meta: { touches: ['workshop'] },
    mutationFn: () => take(api.PUT('/api/workshop', { body: draft })),
  });
  const look = 'border border-line bg-sheet px-1.5 py-0.5';
  const hours = Object.values(draft.hours).reduce((a, b) => a + b, 0);
  return (
    <form
      className="max-w-[36rem]"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <fieldset disabled={!owns}>
        <Section title="Name" note="as it stands on what you hand over">
          <input
            aria-label="Name of the workshop"
            className={`${look} w-full`}
            maxLength={80}
            value={draft.name}
            onChange={(e) => setDraft({ ...draft, name: e.target.value })}
          />
        </Section>
        <Section title="Note" note="stands under it: where to ask, what is promised">
          <textarea
            aria-label="Note of the workshop"
            className={`${look} h-20 w-full`}
            maxLength={500}
            value={draft.note}
            onChange={(e) => setDraft({ ...draft, note: e.target.value })}
          />
        </Section>
        <Section title="Price of a kWh">
          <div className="flex items-baseline gap-2">
            <input
              aria-label="Price of a kWh"
              className={`${look} num w-24 text-right`}
              type="number"
              min={0}
              step="any"
              value={draft.perKWh}
              onChange={(e) => setDraft({ ...draft, perKWh: Number(e.target.value) })}
            />
            <input
              aria-label="Currency"
              placeholder="currency"
              className={`${look} w-24`}
              maxLength={8}
              value={draft.currency}
              onChange={(e) => setDraft({ ...draft, currency: e.target.value })}
            />
          </div>
        </Section>
        <Section title="A day of use" note={`hours a day; off for the other ${Math.max(0, 24 - hours)}`}>
          <div className="flex flex-wrap gap-x-5 gap-y-1">
            {uses.map(([key, word]) => (
              <label key={key} className="flex items-baseline gap-1.5">
                <span className="text-soft">{word}</span>
                <input
                  className={`${look} num w-16 text-right`}
                  type="number"
                  min={0}
                  max={24}
                  step="any"
                  value={draft.hours[key]}
                  onChange={(e) => setDraft({ ...draft, hours: { ...draft.hours, [key]: Number(e.target.value) } })}
                />
                h
              </label>
            ))}
          </div>
        </Section>
        {owns ? (
          <Button main type="submit" disabled={save.isPending}>
            Save
          </Button>
        ) : (
          <p className="text-soft">An owner changes this.</p>
        )}
        {save.isSuccess && <span className="ml-3 text-soft">Saved.</span>}
        <Problem error={save.error} />
      </fieldset>
    </form>
  );
}
