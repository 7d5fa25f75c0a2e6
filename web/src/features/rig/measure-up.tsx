import { useMutation, useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { Link } from 'wouter';
import { api, type Rig, type Schemas, take } from '../../api/client';
import { measuringQuery, partFormsQuery, pilotsQuery } from '../../api/queries';
import { Button, Problem, Section } from '../../ui/elements';
import { num, roughly } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { measures } from '../pilot/at-work';

type Measuring = NonNullable<Schemas['Measuring']>;
type Figure = Schemas['FoundFigure'];

/** Three digits are as many as an interval leaves any meaning to; volts have their millivolts. */
const short = (x: number, unit: string) => (unit === 'V' ? num(x, 3) : String(Number(x.toPrecision(3))));

/** Finds the figures of a machine whose sheets nobody has: an hour's trial, what that told, and how far it may be believed. */
export function MeasureUp({ rig }: { rig: Rig }) {
  const now = useQuery({ ...measuringQuery(rig.id), enabled: rig.parts != null }).data;
  const pilot = useQuery(pilotsQuery(rig.id)).data?.find((p) => p.state !== 'ended');
  const path = { params: { path: { rig: rig.id } } };
  const start = useMutation({
    meta: { touches: ['pilot', 'rig'] },
    mutationFn: () => take(api.POST('/api/rigs/{rig}/measuring', path)),
  });
  const make = useMutation({
    meta: { touches: ['part', 'rig', 'trim'] },
    mutationFn: () => take(api.POST('/api/rigs/{rig}/measuring/take', path)),
  });
  if (!now) return null;
  const working = pilot !== undefined && measures(pilot);
  const found = now.figures.length > 0;
  return (
    <Section
      title="Measuring up"
      note={now.taken ? 'its sheets were found so' : found ? 'what its records tell by now' : 'its sheets from itself'}
    >
      <div data-measuring={working ? 'working' : now.taken ? 'taken' : found ? 'found' : 'none'}>
        {!found && now.cannot && <p className="max-w-[46rem] text-soft">Not here: {now.cannot}.</p>}
        {!found && !now.cannot && (
          <p className="max-w-[46rem] text-soft">
            Loads at {now.steps === 1 ? 'one setting' : `${now.steps} settings`}, {roughly(60 * now.minutes)} in all,
            tell its curve of voltage, capacitance, leakage and path of heat, each as far as its sensors do. Until then
            nothing is forecast. So far: {now.why}.
          </p>
        )}
        {working && pilot && (
          <p>
            <span className="text-held">▸</span> Step {Math.min(now.steps, pilot.step + 1)} of {now.steps} is under way;{' '}
            <Link className="underline" href={sheetPath(rig.id, 'tuning')}>
              how it goes
            </Link>
            .
          </p>
        )}
        {found && now.kin.length > 0 && (
          <p className="mb-1 max-w-[46rem] text-soft">
            Begun with what {now.kin.join(', ')} of the same model {now.kin.length > 1 ? 'were' : 'was'} found to be.
          </p>
        )}
        {found && <Found now={now} />}
        <p className="mt-1 flex flex-wrap gap-2">
          {found && (
            <Button main={!now.taken} disabled={make.isPending || pilot !== undefined} onClick={() => make.mutate()}>
              {now.taken ? 'Make its sheets anew from these' : 'Make these its sheets'}
            </Button>
          )}
          {!working && !now.cannot && (
            <Button main={!found} disabled={start.isPending || !rig.linked} onClick={() => start.mutate()}>
              {found ? 'Measure it up again' : 'Measure it up'}
            </Button>
          )}
        </p>
        <Problem error={start.error ?? make.error} />
      </div>
    </Section>
  );
}

/** The figures with their intervals, and by how much the models miss what was seen. */
function Found({ now }: { now: Measuring }) {
  const forms = useQuery(partFormsQuery).data;
  const label = (f: Figure) => f.words || (forms?.[f.kind]?.fields.find((x) => x.path === f.path)?.label ?? f.path);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_240px] gap-x-8">
      <table className="table-thin w-full" data-found={now.figures.length}>
        <thead>
          <tr>
            <th>Figure</th>
            <th className="right">Found</th>
            <th className="right">90 % between</th>
            <th className="w-[110px]">Told by its records</th>
          </tr>
        </thead>
        <tbody>
          {now.figures.map((f) => (
            <tr key={f.kind + f.path} className={f.told < 0.2 ? 'text-soft' : ''}>
              <td>{label(f)}</td>
              <td className="right num whitespace-nowrap">
                {short(f.value, f.unit)} {f.unit}
              </td>
              <td className="right num whitespace-nowrap text-soft">
                {short(f.low, f.unit)} to {short(f.high, f.unit)}
              </td>
              <td>
                <span className="flex items-center gap-1.5">
                  <span className="inline-block h-[7px] w-[60px] border border-line bg-sheet">
                    <span className="block h-full bg-tint-4" style={{ width: `${100 * f.told}%` }} />
                  </span>
                  <span className="num text-[12px]">{f.told < 0.2 ? 'hardly' : `${Math.round(100 * f.told)} %`}</span>
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Misses now={now} />
    </div>
  );
}

const things: Record<string, string> = {
  power: 'Power',
  request: 'Voltage asked',
  delivered: 'Voltage delivered',
  hottest: 'Hottest core',
  coolant: 'Coolant',
};

/** What was seen against what the models show with these figures, a dot a leg, in standard deviations of the sensors. */
function Misses({ now }: { now: Measuring }) {
  const [width, row, left, top] = [270, 30, 104, 18];
  const kinds = Object.keys(things).filter((k) => now.offs.some((o) => o.of === k));
  const most = Math.max(3, ...now.offs.map((o) => Math.abs(o.by / o.sd)));
  const x = scaleLinear([-most, most], [left, width - 6]);
  const height = top + kinds.length * row + 16;
  return (
    <figure>
      <figcaption className="mb-1 font-semibold">What these figures miss</figcaption>
      <svg viewBox={`0 0 ${width} ${height}`} className="block w-full" role="img" aria-label="What these figures miss">
        <rect x={x(-2)} width={x(2) - x(-2)} y={top} height={kinds.length * row} fill="var(--color-tint-1)" />
        <line x1={x(0)} x2={x(0)} y1={top} y2={top + kinds.length * row} stroke="var(--color-soft)" />
        {kinds.map((k, i) => (
          <g key={k}>
            <text x={left - 8} y={top + i * row + row / 2 + 4} textAnchor="end" fontSize="12" fill="var(--color-ink)">
              {things[k]}
            </text>
            {now.offs
              .filter((o) => o.of === k)
              .map((o, j) => (
                <circle
                  // biome-ignore lint/suspicious/noArrayIndexKey: legs have no other key here
                  key={j}
                  cx={x(o.by / o.sd)}
                  cy={top + i * row + row / 2 + ((j % 3) - 1) * 5}
                  r="2.6"
                  fill="var(--color-ink)"
                />
              ))}
          </g>
        ))}
        {x.ticks(4).map((t) => (
          <text
            key={t}
            x={x(t)}
            y={height - 4}
            textAnchor="middle"
            fontSize="11"
            className="num"
            fill="var(--color-soft)"
          >
            {t}
          </text>
        ))}
      </svg>
      <p className="text-[12.5px] text-soft">
        A dot a leg, in standard deviations of the sensors. Most lie in the band where the models fit this machine.
      </p>
    </figure>
  );
}
