import { useMutation, useQuery } from '@tanstack/react-query';
import { Slider } from 'radix-ui';
import { useState } from 'react';
import { useLocation } from 'wouter';
import { api, type Schemas, type Trim, take } from '../../api/client';
import { pilotsQuery, soundingsQuery, trimsQuery, useRig } from '../../api/queries';
import { Button, Empty, Heading, Problem, Section, SheetWithDock } from '../../ui/elements';
import { count, num, trimName } from '../../ui/format';
import { type SheetProps, sheetPath } from '../../ui/sheet';
import { setting, settingWithUnit } from './depth';
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
  const [moved, setMoved] = useState<{ trim?: number; keel: number[] }>();
  const risk = 1 / (allowed[place] ?? 20);
  const keel = moved && moved.trim === id ? moved.keel : undefined;
  const query = useQuery(soundingsQuery(rig, id, risk, keel));
  const pilots = useQuery(pilotsQuery(rig));
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
        <Empty>
          <strong>There is nothing to sound here.</strong> {at.none}.
        </Empty>
      </div>
    );
  }
  const pilot = pilots.data[0];
  const flies = pilot && pilot.state !== 'ended';
  const survey = <SurveyDock rig={owner} trim={trim} pilot={pilot} risk={risk} at={at} trims={trims.data} />;
  const now = pilot?.state === 'flying' ? pilot.now : null;
  const shown = keel ?? at.cores.map((c) => c.own);
  const move = (core: number, depth: number) => {
    const key = at.cores[core]?.key;
    setMoved({ trim: id, keel: shown.map((d, i) => (at.cores[i]?.key === key ? depth : d)) });
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
            onFound={() => setMoved({ trim: id, keel: at.cores.map((c) => c.found) })}
            onBack={() => setMoved(undefined)}
          />
          {!flies && survey}
          <Problem error={query.error} />
        </>
      }
    >
      <Heading
        note={
          at.plane
            ? 'fixed voltage of all cores, at the clock that is set and about it'
            : `${at.name} per core, ${at.unit}; the clearance of each above where it fails, in steps of ${num(at.stepMV, at.stepMV % 1 ? 2 : 0)} mV`
        }
      >
        Soundings
      </Heading>
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
  const { over } = at;
  return (
    <Section title={moved ? 'As drawn' : trimName(trim)} note="a fault in a day of mixed use">
      <p className={`text-[21px] leading-tight font-semibold ${over ? 'text-caution' : ''}`} data-risk={at.at?.risk}>
        {at.at?.words}
      </p>
      <p className="text-[13px] text-soft">
        {percent(at.at?.low)} to {percent(at.at?.high)} (90 %); {percent(at.breaks, '')} that it is more than allowed
      </p>
      <p className="text-[13px]">
        {over && beyond(deepest) < 0 ? (
          <span className="text-caution">
            {at.plane ? 'The voltage' : `Core ${deepest.core}`} lies{' '}
            <span className="num">{count(-beyond(deepest), 'step')}</span> too {at.plane ? 'low' : 'deep'} for what is
            allowed{at.plane && `: ${settingWithUnit(at, deepest.found)} is recommended`}
          </span>
        ) : (
          <>
            Least clearance: core {shallowest.core}, <span className="num">{num(shallowest.clearance)} steps</span>{' '}
            above where it fails
          </>
        )}
      </p>
      <p className="text-[13px]">
        {at.slope && (
          <>
            This chip: {at.slope.words}{' '}
            <span className="text-soft">
              ({num(at.slope.low, 1)} to {num(at.slope.high, 1)})
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

const percent = (x = 0, per = ' a day') =>
  x < 0.0005 ? 'next to nothing' : `${num(100 * x, x < 0.1 ? 1 : 0)} %${per}`;

/** What the depths do under heavy load, against the trim. */
function Forecasts({ at, moved }: { at: Soundings; moved: boolean }) {
  const of = (what: string) => at.forecasts.find((f) => f.of === what);
  const rows = [of('trim'), moved ? of('keel') : undefined, of('found')].filter((f) => f !== undefined);
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
            reason: `From the soundings: ${at.at?.words} as believed.`,
            settings: at.changes,
          },
        }),
      ),
    onSuccess: (made) => go(sheetPath(rig, 'trim', made.id)),
  });
  const same = at.cores.every((c) => c.found === c.keel);
  return (
    <Section
      title="Recommended"
      note={
        at.found
          ? `${at.found.words}, ${at.fleet > 0 ? `with what ${at.fleet} like chips showed` : 'by this chip alone'}`
          : ''
      }
    >
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
      {at.left > 0 && (
        <p className="mt-1 text-[12.5px] text-soft">
          {at.left} {at.left === 1 ? 'trial' : 'trials'} under another clock, voltage or load line{' '}
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
      Within a column, from left: heavy, single core, rise and fall, idle. Figures are minutes held (h: hours),{' '}
      <span className="text-caution">+</span> failed, dashed rings froze or restarted with no core named
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
