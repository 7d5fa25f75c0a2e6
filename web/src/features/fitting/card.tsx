import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, type Fitting, type Rig, type Schemas, take } from '../../api/client';
import { cardQuery, trimsQuery, useRig } from '../../api/queries';
import { Confirm } from '../../ui/confirm';
import { Button, Heading, Problem } from '../../ui/elements';
import { trimName } from '../../ui/format';
import type { SheetProps } from '../../ui/sheet';
import { Wording } from './wording';

type Line = Schemas['CardLine'];

/** The lines of a card under the board's menus, in their order. */
function Lines({ lines, render }: { lines: Line[]; render: (line: Line) => React.ReactNode }) {
  let menu = '';
  return (
    <ol>
      {lines.map((line) => {
        const path = line.menu.join(' › ');
        const fresh = path !== menu;
        menu = path;
        return (
          <li key={line.key}>
            {fresh && <p className="mt-3 text-soft">{path}</p>}
            {render(line)}
          </li>
        );
      })}
    </ol>
  );
}

const text = (line: Line) => (
  <>
    <span className="min-w-0 flex-1">{line.label}</span>
    <span className="text-right">
      <span className="num font-semibold">{line.enter}</span>
      {line.was && line.was !== line.enter && <span className="block text-[13px] text-soft">now {line.was}</span>}
    </span>
  </>
);

/** A setting card being entered: a large line and a tick for each setting, readable from the next chair. */
export function CardEntry({ rig, fitting }: { rig: Rig; fitting: Fitting }) {
  const path = { params: { path: { fitting: fitting.id } } };
  const tick = useMutation({
    meta: { touches: ['fitting'] },
    mutationFn: (keys: string[]) => take(api.PUT('/api/fittings/{fitting}/ticks', { ...path, body: { keys } })),
  });
  const entered = useMutation({
    meta: { touches: ['fitting'] },
    mutationFn: () => take(api.POST('/api/fittings/{fitting}/entered', path)),
  });
  const cancel = useMutation({
    meta: { touches: ['fitting'] },
    mutationFn: () => take(api.POST('/api/fittings/{fitting}/cancel', path)),
  });
  const noPost = useMutation({
    meta: { touches: ['fitting'] },
    mutationFn: () => take(api.POST('/api/fittings/{fitting}/no-post', path)),
  });
  const [dark, setDark] = useState(false);
  const ticked = new Set(tick.isPending ? tick.variables : fitting.ticked);
  const left = fitting.card.filter((l) => !ticked.has(l.key)).length;
  const entering = fitting.state === 'entering';
  return (
    <div data-fitting={fitting.state} className="mb-4 max-w-[40rem]">
      {fitting.card.length === 0 && <p>Nothing has to be entered: the board should stand as this trim wants it.</p>}
      <Lines
        lines={fitting.card}
        render={(line) => (
          <label className="flex items-center gap-4 border-b border-dotted border-line py-2 text-[20px] leading-tight">
            <input
              type="checkbox"
              className="h-6 w-6 shrink-0 accent-ink"
              checked={ticked.has(line.key)}
              disabled={!entering}
              aria-label={`${line.label}: ${line.enter}`}
              onChange={(e) => {
                const next = new Set(ticked);
                if (e.target.checked) next.add(line.key);
                else next.delete(line.key);
                tick.mutate([...next]);
              }}
            />
            {text(line)}
          </label>
        )}
      />
      <div className="mt-4 flex flex-wrap items-center gap-3">
        {entering ? (
          <>
            <Button main disabled={left > 0 || entered.isPending} onClick={() => entered.mutate()}>
              {left > 0 ? `${left} of ${fitting.card.length} lines left` : 'All entered and saved: restart it now'}
            </Button>
            <Button onClick={() => cancel.mutate()}>Give up</Button>
          </>
        ) : (
          <>
            <p className="text-[16px]">
              ▸ Waiting until {rig.name} has restarted since the last tick and its agent links.
            </p>
            <Button disabled={entered.isPending} onClick={() => entered.mutate()}>
              {rig.linked ? 'It has restarted already' : 'It runs, without an agent'}
            </Button>
            <Button onClick={() => setDark(true)}>It does not come up</Button>
            <Button onClick={() => cancel.mutate()}>Give up</Button>
          </>
        )}
      </div>
      <Confirm
        open={dark}
        onOpenChange={setDark}
        title={`${rig.name} does not come up`}
        action="It is cleared"
        back="Wait on"
        onConfirm={() => noPost.mutate()}
      >
        Clear the CMOS at the board and start the machine: it runs as delivered then. The trim of this card counts as
        failed, and what is tried next keeps clear of it.
      </Confirm>
      <Problem error={tick.error ?? entered.error ?? cancel.error ?? noPost.error} />
    </div>
  );
}

/** The setting card of any trim, for the printer or another screen. */
export function CardSheet({ rig: id, id: trimId }: SheetProps) {
  const [full, setFull] = useState(false);
  const [wording, setWording] = useState('');
  const rig = useRig(id);
  const trims = useQuery(trimsQuery(id));
  const trim = trims.data?.find((t) => t.id === (trimId ?? rig?.trimInForce));
  const card = useQuery({ ...cardQuery(trim?.id ?? 0, full), enabled: trim !== undefined });
  if (!rig || !trim || !card.data) return <p className="p-4 text-soft">Reading the card …</p>;
  const now = trims.data?.find((t) => t.id === rig.trimInForce);
  return (
    <div className="h-full overflow-auto px-4 py-3">
      <Heading note={rig.parts ? `${rig.parts.board} with ${rig.parts.processor}` : undefined}>
        Setting card: {rig.name}, {trimName(trim)} {trim.number > 0 && trim.name}
      </Heading>
      <p className="mb-2 flex flex-wrap items-center gap-4 print:hidden">
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={full} onChange={(e) => setFull(e.target.checked)} />
          every setting, not only what changes{now ? ` from ${trimName(now)}` : ''}
        </label>
        <Button reads onClick={() => window.print()}>
          Print
        </Button>
      </p>
      {card.data.length === 0 && <p>Nothing changes from {now ? trimName(now) : 'what is on the board'}.</p>}
      <div className="max-w-[40rem]" data-card="">
        <Lines
          lines={card.data}
          render={(line) => (
            <>
              <p
                className={`flex gap-4 border-b border-dotted border-line py-1.5 leading-tight ${full ? '' : 'text-[18px]'}`}
              >
                <span aria-hidden="true">□</span>
                {text(line)}
                {rig.byHand && (
                  <button
                    type="button"
                    className="self-start text-[13px] text-soft underline print:hidden"
                    aria-label={`Word ${line.label} as the board does`}
                    onClick={() => setWording(wording === line.key ? '' : line.key)}
                  >
                    word it
                  </button>
                )}
              </p>
              {wording === line.key && <Wording rig={id} setting={line.key} onDone={() => setWording('')} />}
            </>
          )}
        />
      </div>
    </div>
  );
}
