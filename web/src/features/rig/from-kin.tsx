import { useMutation, useQuery } from '@tanstack/react-query';
import { Link, useLocation } from 'wouter';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { startQuery } from '../../api/queries';
import { Button, Problem, Section } from '../../ui/elements';
import { count, num, roughly, signed } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';

type Offer = Schemas['StartOffer'];
type Start = Schemas['Start'];

/** Where a rig may begin by what others with its processor have shown: proposals, never proven here. */
export function FromKin({ rig }: { rig: Rig }) {
  const { data: start } = useQuery(startQuery(rig.id));
  if (!start || start.kin === 0 || (start.begun && !start.spared)) return null;
  return (
    <Section
      title="From its kin"
      note={`${count(start.kin, 'other')} with this processor${start.told > 0 ? `, ${start.told} of them tell where cores fail` : ''}`}
    >
      {start.offers.length === 0 && !start.begun && (
        <p className="max-w-[34rem] text-soft">None of them runs a trim that held and differs from what runs here.</p>
      )}
      {start.offers.map((o) => (
        <OneOffer key={o.trim} rig={rig} start={start} offer={o} />
      ))}
      <Spared start={start} />
    </Section>
  );
}

function OneOffer({ rig, start, offer }: { rig: Rig; start: Start; offer: Offer }) {
  const [, go] = useLocation();
  const make = useMutation({
    meta: { touches: ['trim'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/trims', {
          params: { path: { rig: rig.id } },
          body: {
            parent: start.parent,
            name: `as ${offer.name}`,
            reason: `Begun after ${offer.name}, T${offer.number}; ${
              offer.depths ? `depths by what is known of this chip (${offer.fails}), ` : ''
            }not tried here.`,
            settings: offer.settings,
          },
        }),
      ),
    onSuccess: (made) => go(sheetPath(rig.id, 'trim', made.id)),
  });
  const won = offer.gains.filter((g) => g.shown);
  return (
    <div className="mb-2 flex items-start gap-4 border-b border-dotted border-line pb-2" data-offer={offer.name}>
      <div className="grow">
        <p>
          As{' '}
          <Link href={sheetPath(offer.rig, 'trim', offer.trim)} className="underline">
            {offer.name}, T{offer.number}
          </Link>{' '}
          {offer.trimName}, {offer.standing} there
          {won.length > 0 && (
            <span className="num">
              : {won.map((g) => `${signed(g.value, g.what === 'speed' ? 1 : 0)} ${g.unit} ${g.what}`).join(', ')}
            </span>
          )}
        </p>
        <p className="text-[13px] text-soft">
          {offer.changes.map((c) => `${c.name} ${c.values[0] || 'unset'} → ${c.values[1]}`).join('; ')}
          {offer.depths && (
            <>
              . Depth {offer.depths} is what is recommended for this chip: {offer.fails}.
            </>
          )}
          {offer.unfit.length > 0 && ` Not taken here: ${offer.unfit.join('; ')}.`}
        </p>
        {offer.stops && <p className="text-[13px] text-caution">Preflight stops it here: {offer.stops}</p>}
        <Problem error={make.error} />
      </div>
      {!offer.stops && (
        <Button
          className="shrink-0 whitespace-nowrap"
          disabled={make.isPending || start.parent === 0}
          onClick={() => make.mutate()}
        >
          Make a trim
        </Button>
      )}
    </div>
  );
}

/** What its kin spared a rig, by a replay of its own trials. */
export function Spared({ start }: { start: Start }) {
  const s = start.spared;
  if (!s) return null;
  const after = (minutes: number) => roughly(60 * minutes);
  const mV = Math.abs(Math.round(1000 * s.deeper));
  return (
    <p className="text-[13px] text-soft" data-spared={Math.round(s.worth)}>
      {s.worth > 0 ? (
        <>
          What its kin showed spared it {after(s.worth)} of bench time: its own trials allowed after {after(s.alone)}{' '}
          what they allowed with it after {after(s.with)}.
        </>
      ) : (
        <>What its kin showed spared it no bench time yet.</>
      )}
      {mV > 0 &&
        ` After all ${after(s.minutes)} it goes ${num(mV)} mV ${s.deeper > 0 ? 'deeper' : 'less deep'} for it.`}
    </p>
  );
}
