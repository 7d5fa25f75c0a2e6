import { useMutation, useQuery } from '@tanstack/react-query';
import { Slider } from 'radix-ui';
import { useState } from 'react';
import { useLocation, useSearchParams } from 'wouter';
import { api, type Schemas, type Trim, take } from '../../api/client';
import { pilotsQuery, soundingsQuery, startQuery, surveyableQuery, trimsQuery, useRig } from '../../api/queries';
import { Button, Empty, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { count, num, trimName } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { Spared } from '../rig/from-kin';
import { lanes, recommends, setting, settingWithUnit } from './depth';
import { DepthChart } from './depth-chart';
import { PlaneChart } from './plane-chart';
import { SurveyDock } from './survey-dock';

type Soundings = Schemas['Soundings'];

/** The chances of a fault in a day that a builder may allow, as one in so many. */
const allowed = [10, 15, 20, 30, 50, 100, 200, 300, 500, 1000];
const usual = allowed.indexOf(20);

/** How deep does each core go? All that the rig's trials tell, and the survey that finds out the rest. */
export function SoundingsSheet({ rig, id }: SheetProps) {
  const owner = useRig(rig);
  const trims = useQuery(trimsQuery(rig));
  const [place, setPlace] = useState(usual);
  const [moved, setMoved] = useState<{ trim?: number; what: string; keel: number[] }>();
  const [search, setSearch] = useSearchParams();
  const choose = (of: string) => setSearch({ of }, { replace: true });
  const risk = 1 / (allowed[place] ?? 20);
  const pilots = useQuery(pilotsQuery(rig));
  const pilot = pilots.data?.[0];
  const flies = pilot && pilot.state !== 'ended';
  const what = search.get('of') ?? (flies ? pilot.what : 'depths');
  const keel = moved && moved.trim === id && moved.what === what ? moved.keel : undefined;
  const query = useQuery(soundingsQuery(rig, id, what, risk, keel));
  const at = query.data;
  if (query.error && !at)
    return (
      <div className="p-4">
        <Problem error={query.error} />
      </div>
    );
  if (!owner || !trims.data || !at || !pilots.data) return <p className="p-4 text-soft">Reading the soundings …</p>;
  const trim = trims.data.find((t) => t.id === at.trim);
  if (at.none || !trim) {
    return (
      <div className="px-4">
        <Heading note={<LookFor rig={rig} trim={id} what={what} onWhat={choose} />}>Soundings</Heading>
        <Empty>
          <strong>There is nothing to sound here.</strong> {at.none}.
        </Empty>
      </div>
    );
  }
  const survey = <SurveyDock rig={owner} trim={trim} pilot={pilot} risk={risk} at={at} trims={trims.data} />;
  const now = pilot?.state === 'flying' && pilot.what === at.what ? pilot.now : null;
  const shown = keel ?? at.cores.map((c) => c.own);
  const move = (core: number, depth: number) => {
    const key = at.cores[core]?.key;
    setMoved({ trim: id, what, keel: shown.map((d, i) => (at.cores[i]?.key === key ? depth : d)) });
  };
  return (
    <SheetWithDock
      dock={
        <>
          {flies && survey}
          <Risk at={at} trim={trim} moved={keel !== undefined} place={place} onPlace={setPlace} />
          <Proposals
            rig={rig}
            at={at}
            trim={trim}
            moved={keel !== undefined}
            onFound={() => setMoved({ trim: id, what, keel: at.cores.map((c) => c.found) })}
            onBack={() => setMoved(undefined)}
          />
          {!flies && survey}
          <Problem error={query.error} />
        </>
      }
    >
      <Heading note={<LookFor rig={rig} trim={id} what={what} onWhat={choose} />}>Soundings</Heading>
      <p className="mb-1 text-[12.5px] text-soft">{unitWords(at)}</p>
      {at.plane ? (
        <PlaneChart
          at={at}
          plane={at.plane}
          name={trimName(trim)}
          depth={shown[0] ?? 0}
          onDepth={(depth) => move(0, depth)}
          next={now?.depths[0]}
        />
      ) : (
        <DepthChart
          at={at}
          name={trimName(trim)}
          keel={shown}
          onKeel={move}
          next={now && now.depths.length === at.cores.length ? { depths: now.depths, words: now.why } : undefined}
        />
      )}
      <Legend at={at} next={now?.depths.length === at.cores.length} />
    </SheetWithDock>
  );
}

/** What the depths of the drawing are. */
function unitWords(at: Soundings): string {
  if (at.plane) return 'Fixed voltage of all cores, at the clock that is set and about it.';
  const per = `${num(Math.abs(at.per), at.per % 1 ? 2 : 0)} ${at.unit}`;
  if (at.thing)
    return `The ${at.name}; clear: how many steps of ${per} it lies short of where it fails. Further down is faster.`;
  const step = `${num(at.stepMV, at.stepMV % 1 ? 2 : 0)} mV`;
  if (at.each === 'chip' && at.unit !== 'mV')
    return `The ${at.name} of all cores${at.unit === 'steps' ? '' : `, in steps of ${per}`}; a step is ${step} while all work. Clear: how many steps each core lies above where it fails.`;
  return `The ${at.name} of each core, in ${at.unit}; clear: how many steps of ${step} it lies above where it fails.`;
}

interface LookForProps {
  rig: number;
  trim?: number;
  what: string;
  onWhat: (what: string) => void;
}

/** What the soundings are of: the depths of cores, or another thing that a survey can look for on this machine. */
function LookFor({ rig, trim, what, onWhat }: LookForProps) {
  const list = useQuery(surveyableQuery(rig, trim)).data?.filter((x) => x.why === '' || x.what === what);
  if (!list || list.length < 2) return null;
  return (
    <label className="text-[13px]">
      of{' '}
      <select
        id="look-for"
        value={what}
        onChange={(e) => onWhat(e.target.value)}
        className="border border-line bg-sheet px-1 py-0.5"
      >
        {list.map((x) => (
          <option key={x.what} value={x.what}>
            {x.name}
          </option>
        ))}
      </select>
    </label>
  );
}

interface RiskProps {
  at: Soundings;
  trim: Trim;
  moved: boolean;
  place: number;
  onPlace: (place: number) => void;
}

function Risk({ at, trim, moved, place, onPlace }: RiskProps) {
  const beyond = (c: Schemas['SoundedCore']) => c.keel - c.found;
  const deepest = at.cores.reduce((a, b) => (beyond(b) < beyond(a) ? b : a));
  const shallowest = at.cores.reduce((a, b) => (b.clearance < a.clearance ? b : a));
  const known = at.at?.known ?? false;
  const over = at.over && known;
  return (
    <Section title={moved ? 'As drawn' : trimName(trim)} note="a fault in a day of mixed use">
      <p className={`text-[21px] leading-tight font-semibold ${over ? 'text-caution' : ''}`} data-risk={at.at?.risk}>
        {known ? at.at?.words : 'Not known yet'}
      </p>
      <p className="text-[13px] text-soft">
        {percent(at.at?.low)} to {percent(at.at?.high)} (90 %)
        {known ? `; ${percent(at.breaks, '')} that it is more than allowed` : ': too little was tried to tell'}
      </p>
      <p className="text-[13px]">
        {over && beyond(deepest) < 0 ? (
          <span className="text-caution">
            {whose(at, deepest)} lies <span className="num">{count(-beyond(deepest), 'step')}</span>{' '}
            {at.thing ? 'beyond' : `too ${at.plane ? 'low' : 'deep'} for`} what is allowed
            {(at.plane || at.each === 'chip') && `: ${settingWithUnit(at, deepest.found)} is recommended`}
          </span>
        ) : (
          <>
            Least clearance: {at.thing ? `the ${at.thing}` : `core ${shallowest.core}`},{' '}
            <span className="num">{num(shallowest.clearance)} steps</span> {at.thing ? 'short of' : 'above'} where it
            fails
          </>
        )}
      </p>
      <p className="text-[13px]">
        {at.slope && (
          <>
            This {at.thing || 'chip'}: {at.slope.words}{' '}
            <span className="text-soft">
              ({num(at.slope.low, at.slope.high < 2 ? 2 : 1)} to {num(at.slope.high, at.slope.high < 2 ? 2 : 1)})
            </span>
          </>
        )}
      </p>
      <Forecasts at={at} moved={moved} />
      <label className="mt-2 block text-[13px]" htmlFor="allowed">
        Allow one fault in <span className="num font-semibold">{allowed[place]}</span> days
      </label>
      <Slider.Root
        id="allowed"
        value={[place]}
        max={allowed.length - 1}
        onValueChange={([p]) => onPlace(p ?? usual)}
        className="relative flex h-5 items-center"
      >
        <Slider.Track className="relative h-[3px] grow bg-line">
          <Slider.Range className="absolute h-full bg-ink" />
        </Slider.Track>
        <Slider.Thumb
          aria-label="days without a fault"
          className="block h-4 w-2 rounded-[2px] border border-ink bg-sheet"
        />
      </Slider.Root>
    </Section>
  );
}

/** What a core's keel is of. */
function whose(at: Soundings, core: Schemas['SoundedCore']): string {
  if (at.plane) return 'The voltage';
  return at.each === 'chip' ? `The ${at.name}` : `Core ${core.core}`;
}

const percent = (x = 0, per = ' a day') =>
  x < 0.0005 ? 'next to nothing' : `${num(100 * x, x < 0.1 ? 1 : 0)} %${per}`;

/** What the depths do under heavy load, against the trim. */
function Forecasts({ at, moved }: { at: Soundings; moved: boolean }) {
  const of = (what: string) => at.forecasts.find((f) => f.of === what);
  const rows = [of('trim'), moved ? of('keel') : undefined, recommends(at) ? of('found') : undefined].filter(
    (f) => f !== undefined,
  );
  const names: Record<string, string> = { trim: 'now', keel: 'as drawn', found: 'recommended' };
  return (
    <table className="forecast mt-2 w-full text-[13px]">
      <caption className="text-left text-soft">forecast, heavy load, settled</caption>
      <tbody>
        {rows.map((f) => (
          <tr key={f.of} data-forecast={f.of}>
            <th className="text-left font-normal">{names[f.of]}</th>
            <td className="num text-right">{f.watts != null && `${num(f.watts)} W`}</td>
            <td className="num text-right">{f.degrees != null && `${num(f.degrees, 1)} °C`}</td>
            <td className="num text-right">{f.score != null && `${num(f.score)} pt`}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface ProposalsProps {
  rig: number;
  at: Soundings;
  trim: Trim;
  moved: boolean;
  onFound: () => void;
  onBack: () => void;
}

/** From the drawing to a trim. */
function Proposals({ rig, at, trim, moved, onFound, onBack }: ProposalsProps) {
  const [, go] = useLocation();
  const make = useMutation({
    meta: { touches: ['trim'] },
    mutationFn: () =>
      take(
        api.POST('/api/rigs/{rig}/trims', {
          params: { path: { rig } },
          body: {
            parent: trim.id,
            name: 'keel',
            reason: `From the soundings: ${at.at?.known ? `${at.at.words} as believed` : 'how likely it is to fail is not known yet'}.`,
            settings: at.changes,
          },
        }),
      ),
    onSuccess: (made) => go(sheetPath(rig, 'trim', made.id)),
  });
  const { data: start } = useQuery({ ...startQuery(rig), enabled: at.fleet > 0 });
  const same = at.cores.every((c) => c.found === c.keel);
  const kin = at.fleet > 0 ? `with what ${at.fleet} like chips showed` : `by this ${at.thing || 'chip'} alone`;
  if (!recommends(at))
    return (
      <Section title="Recommended">
        <p className="text-[13px]">Nothing before a survey: too little was tried.</p>
        {moved && (
          <Button reads onClick={onBack} className="mt-1">
            Undo
          </Button>
        )}
      </Section>
    );
  return (
    <Section title="Recommended" note={at.found ? `${at.found.words}, ${kin}` : ''}>
      <p className="num text-[13px]" data-found="">
        {at.cores
          .filter((c, i) => at.cores.findIndex((o) => o.key === c.key) === i)
          .map((c) => setting(at, c.found))
          .join(' ')}{' '}
        {at.unit !== 'steps' && at.unit}
      </p>
      <div className="mt-1 flex flex-wrap gap-2">
        {!same && (
          <Button reads onClick={onFound}>
            Draw it
          </Button>
        )}
        {moved && (
          <>
            <Button main disabled={make.isPending} onClick={() => make.mutate()}>
              Make a trim
            </Button>
            <Button reads onClick={onBack}>
              Undo
            </Button>
          </>
        )}
      </div>
      {at.what === 'depths' && start && <Spared start={start} />}
      {at.left > 0 && (
        <p className="mt-1 text-[12.5px] text-soft">
          {count(at.left, 'trial')} {at.thing ? 'with other settings' : 'under another clock, voltage or load line'}{' '}
          {at.left === 1 ? 'is' : 'are'} not counted.
        </p>
      )}
      <Problem error={make.error} />
    </Section>
  );
}

function Legend({ at, next }: { at: Soundings; next: boolean }) {
  const rest = at.rings.length - 3;
  if (at.plane)
    return (
      <p className="mt-1 text-[12.5px] leading-snug text-soft">
        Figures are minutes held (h: hours), <span className="text-caution">+</span> failed. Tints: a fault in a day
        under 1 in 1000, 1 in 100, 1 in 10, more. Contours: watts, and dotted degrees, settled under heavy load. Thin:
        what the machine as delivered would give. Dashed: recommended. Bar: the trim, which can be dragged.
        {next && ' Dotted ring: tried now.'}
      </p>
    );
  return (
    <p className="mt-1 text-[12.5px] leading-snug text-soft">
      Within a column, from left:{' '}
      {lanes(at)
        .map((l) => l.word)
        .join(', ')}
      . Figures are minutes held (h: hours), <span className="text-caution">+</span> failed, dashed rings froze or
      restarted{at.thing ? '' : ' with no core named'}
      {rest > 0 && ` (${rest} deeper ones not drawn)`}. Tints: under 1 in 1000 a day, 1 in 100, 1 in 10, more; buff was
      never sounded. Solid: the keel, which can be dragged. Dashed: recommended.{next && ' Dotted: tried now.'}
      {at.holders.length > 0 && (
        <span className="text-ink">
          {' '}
          While all cores work, core {at.holders.join(' and core ')} alone holds its rail up, and the others stand with
          it.
        </span>
      )}
    </p>
  );
}
