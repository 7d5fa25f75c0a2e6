import { scaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';
import { RadioGroup } from 'radix-ui';
import type { Drawings, Setting, Value } from '../../api/client';
import { loadNames, num, signed, span } from '../../ui/format';

/** Every level of the load line under heavy load: what is asked, what arrives, how far it dips and overshoots. */
export function LoadLineDrawing({
  levels,
  row,
  onChange,
}: {
  levels: Drawings['loadLines'];
  row?: Setting;
  onChange?: (key: string, value: Value) => void;
}) {
  const height = 132;
  const all = levels.flatMap((l) => [l.dipV, l.overshootV]);
  const low = Math.min(...all) - 0.01;
  const high = Math.max(...all) + 0.01;
  const y = scaleLinear([low, high], [height, 0]);
  const best = levels.find((l) => l.best);
  return (
    <div className="mt-2" data-load-lines="">
      <p className="mb-1">
        <span className="font-semibold">Under heavy load</span>{' '}
        <span className="text-soft">
          {best &&
            `level ${best.level} keeps the highest lowest voltage, ${num(best.dipV, 3)} V, as the load attacks; flatter lines dip deeper again`}
        </span>
      </p>
      <div className="grid grid-cols-[52px_minmax(0,1fr)]">
        <div className="num relative text-right text-[11px] text-soft" style={{ height }}>
          {[high - 0.01, (high + low) / 2, low + 0.01].map((v) => (
            <span key={v} className="absolute right-1.5 -translate-y-1/2" style={{ top: y(v) }}>
              {num(v, 3)} V
            </span>
          ))}
        </div>
        <RadioGroup.Root
          className="flex border border-line bg-sheet"
          style={{ height }}
          orientation="horizontal"
          aria-label="Load line level"
          disabled={!onChange || !row}
          value={String(levels.find((l) => l.now)?.level ?? '')}
          onValueChange={(level) => row && onChange?.(row.key, Number(level))}
        >
          {levels.map((l) => (
            <RadioGroup.Item
              key={l.level}
              value={String(l.level)}
              aria-label={`Level ${l.level}, ${num(l.mOhm, 2)} mΩ`}
              title={`${num(l.mOhm, 2)} mΩ: asks ${num(l.requestV, 3)} V, steady ${num(l.steadyV, 3)} V, dips to ${num(l.dipV, 3)} V, overshoots to ${num(l.overshootV, 3)} V`}
              className={`relative flex-1 border-r border-line/60 last:border-r-0 ${l.now ? 'bg-tint-1' : ''}`}
            >
              <span
                className="absolute left-1/2 w-[7px] -translate-x-1/2 bg-tint-3"
                style={{ top: y(l.overshootV), height: y(l.dipV) - y(l.overshootV) }}
              />
              <span className="absolute inset-x-[22%] border-t-2 border-ink" style={{ top: y(l.steadyV) }} />
              <span
                className="absolute inset-x-[30%] border-t border-dashed border-soft"
                style={{ top: y(l.requestV) }}
              />
              {l.best && (
                <span
                  className="absolute inset-x-0 text-center text-[12px] font-semibold text-held"
                  style={{ top: y(l.dipV) + 1 }}
                >
                  ▲ best
                </span>
              )}
            </RadioGroup.Item>
          ))}
        </RadioGroup.Root>
        <span className="pr-1.5 text-right text-[12px] text-soft">level</span>
        <div className="flex">
          {levels.map((l) => (
            <span
              key={l.level}
              className={`num flex-1 text-center text-[12px] ${l.now ? 'font-semibold' : 'text-soft'}`}
            >
              {l.level}
              <span className="block text-[11px]">{num(l.mOhm, 2)} mΩ</span>
            </span>
          ))}
        </div>
      </div>
      <p className="text-[12.5px] text-soft">
        Bar: from overshoot, when load ends, to dip, when it attacks. Line: steady. Dashed: asked for.
      </p>
    </div>
  );
}

/** How long power above PL1 lasts, with the running average that ends it. */
export function WindowDrawing({ windows, pl1 }: { windows: Drawings['windows']; pl1?: number }) {
  const heavy = windows[0];
  if (!heavy || heavy.points.length === 0) return null;
  const width = 600;
  const height = 110;
  const end = heavy.points.at(-1)?.atS ?? 1;
  const top = Math.max(...heavy.points.map((p) => p.powerW), pl1 ?? 0) * 1.06;
  const x = scaleLinear([0, end], [0, width]);
  const y = scaleLinear([0, top], [height, 0]);
  type Point = Drawings['windows'][number]['points'][number];
  const path = (of: (p: Point) => number) =>
    line<Point>(
      (p) => x(p.atS),
      (p) => y(of(p)),
    ).digits(1)(heavy.points) ?? undefined;
  return (
    <div className="mt-2 max-w-[46rem]" data-window="">
      <p className="mb-1">
        <span className="font-semibold">Boost window</span>{' '}
        {windows.map((w) => (
          <span key={w.load} className="mr-3">
            <span className="text-soft">{loadNames[w.load]}</span>{' '}
            <span className="num">
              {w.seconds == null ? 'always' : w.seconds < 1 ? 'none' : `${span(w.seconds)} at ${num(w.shortW)} W`}
            </span>
          </span>
        ))}
      </p>
      <svg viewBox={`0 0 ${width} ${height + 16}`} className="w-full">
        <title>Package power from idle under heavy load, and its running average</title>
        <rect width={width} height={height} fill="var(--sheet)" stroke="var(--line)" />
        {pl1 !== undefined && (
          <g>
            <line x1={0} x2={width} y1={y(pl1)} y2={y(pl1)} stroke="var(--caution)" strokeDasharray="4 3" />
            <text x={width - 4} y={y(pl1) - 4} textAnchor="end" fontSize={11} fill="var(--caution)">
              PL1 {num(pl1)} W
            </text>
          </g>
        )}
        <path d={path((p) => p.averageW)} fill="none" stroke="var(--soft)" strokeWidth={1.4} strokeDasharray="2 3" />
        <path d={path((p) => p.powerW)} fill="none" stroke="var(--ink)" strokeWidth={2} />
        <text x={0} y={height + 13} fontSize={11} fill="var(--soft)">
          0:00, from idle
        </text>
        <text x={width} y={height + 13} fontSize={11} fill="var(--soft)" textAnchor="end">
          {span(end)}
        </text>
      </svg>
      <p className="text-[12.5px] text-soft">Solid: package power under heavy load. Dotted: its running average.</p>
    </div>
  );
}

/** The voltage each core asks for over the clock, against its fused curve and the part's ceiling. */
export function VoltageDrawing({ curves, corridor }: { curves: Drawings['curves']; corridor: Drawings['corridor'] }) {
  const points = curves.flatMap((c) => c.points);
  if (points.length === 0) return null;
  const width = 600;
  const height = 170;
  const left = 44;
  const volts = points.flatMap((p) => [p.fusedV, p.coldV, p.hotV]);
  const ceilings = [...new Set(curves.map((c) => c.maxV))];
  const low = Math.min(...volts) - 0.03;
  const high = Math.max(...volts, ...ceilings) + 0.03;
  const first = Math.min(...points.map((p) => p.mhz));
  const last = Math.max(...points.map((p) => p.mhz));
  const x = scaleLinear([first, last], [left, width]);
  const y = scaleLinear([low, high], [height, 0]);
  type Point = (typeof points)[number];
  const path = (list: Point[], of: (p: Point) => number) =>
    line<Point>(
      (p) => x(p.mhz),
      (p) => y(of(p)),
    ).digits(1)(list) ?? undefined;
  const cold = corridor[0];
  const hot = corridor.at(-1);
  return (
    <div className="mt-2 max-w-[46rem]" data-voltage="">
      <p className="mb-1">
        <span className="font-semibold">Voltage over clock</span>{' '}
        <span className="text-soft">what each core asks for, before the load line</span>
      </p>
      <svg viewBox={`0 0 ${width} ${height + 16}`} className="w-full">
        <title>Voltage requested over clock, per core</title>
        <rect x={left} width={width - left} height={height} fill="var(--sheet)" stroke="var(--line)" />
        {hot && cold && (
          <rect
            x={left}
            width={width - left}
            y={y(hot.ceilingV)}
            height={Math.max(0, y(hot.floorV) - y(hot.ceilingV))}
            fill="var(--tint-1)"
          />
        )}
        {ceilings.map((v) => (
          <g key={v}>
            <line x1={left} x2={width} y1={y(v)} y2={y(v)} stroke="var(--caution)" strokeDasharray="4 3" />
            <text x={width - 4} y={y(v) + 13} fontSize={11} textAnchor="end" fill="var(--caution)">
              ceiling {num(v, 3)} V
            </text>
          </g>
        ))}
        {curves.map((c) => (
          <g key={c.core}>
            <path
              d={path(c.points, (p) => p.fusedV)}
              fill="none"
              stroke="var(--soft)"
              strokeDasharray="3 3"
              opacity={0.6}
            />
            <path d={path(c.points, (p) => p.hotV)} fill="none" stroke="var(--tint-4)" strokeWidth={1.2} />
            <path d={path(c.points, (p) => p.coldV)} fill="none" stroke="var(--ink)" strokeWidth={1.4} />
          </g>
        ))}
        {[0, 0.5, 1].map((t) => (
          <text
            key={t}
            x={left - 4}
            y={y(low + 0.03 + t * (high - low - 0.06)) + 4}
            fontSize={11}
            textAnchor="end"
            fill="var(--soft)"
          >
            {num(low + 0.03 + t * (high - low - 0.06), 2)} V
          </text>
        ))}
        {[0, 0.5, 1].map((t) => (
          <text
            key={t}
            x={left + t * (width - left)}
            y={height + 13}
            fontSize={11}
            fill="var(--soft)"
            textAnchor={t === 0 ? 'start' : t === 1 ? 'end' : 'middle'}
          >
            {num(first + t * (last - first))} MHz
          </text>
        ))}
      </svg>
      <p className="text-[12.5px] text-soft">
        Solid: this trim when cold, blue when hot where bands differ. Dashed: the fused curve.
        {hot && ' Blue field: the corridor when hot.'}
      </p>
    </div>
  );
}

/** The floor and ceiling between which the corridor holds the core voltage, over the temperature. */
export function CorridorDrawing({ corridor }: { corridor: Drawings['corridor'] }) {
  const first = corridor[0];
  const last = corridor.at(-1);
  if (!first || !last) return null;
  const width = 600;
  const height = 110;
  const left = 44;
  const low = Math.min(...corridor.map((p) => p.floorV)) - 0.05;
  const high = Math.max(...corridor.map((p) => p.ceilingV)) + 0.05;
  const x = scaleLinear([first.c, last.c], [left, width]);
  const y = scaleLinear([low, high], [height, 0]);
  type Point = (typeof corridor)[number];
  const edge = (of: (p: Point) => number) =>
    line<Point>(
      (p) => x(p.c),
      (p) => y(of(p)),
    ).digits(1)(corridor) ?? undefined;
  const inside = area<Point>()
    .x((p) => x(p.c))
    .y0((p) => y(p.floorV))
    .y1((p) => y(p.ceilingV))
    .digits(1);
  return (
    <div className="mt-2 max-w-[46rem]" data-corridor="">
      <p className="mb-1">
        <span className="font-semibold">Corridor</span>{' '}
        <span className="text-soft">the core voltage is held inside, as far as the corridor reaches</span>
      </p>
      <svg viewBox={`0 0 ${width} ${height + 16}`} className="w-full">
        <title>Floor and ceiling of the core voltage over temperature</title>
        <rect x={left} width={width - left} height={height} fill="var(--buff)" stroke="var(--line)" />
        <path d={inside(corridor) ?? undefined} fill="var(--tint-2)" />
        <path d={edge((p) => p.ceilingV)} fill="none" stroke="var(--ink)" strokeWidth={2} />
        <path d={edge((p) => p.floorV)} fill="none" stroke="var(--ink)" strokeWidth={2} />
        {[first.ceilingV, first.floorV].map((v) => (
          <text key={v} x={left - 4} y={y(v) + 4} fontSize={11} textAnchor="end" fill="var(--soft)">
            {num(v, 3)} V
          </text>
        ))}
        <text x={width - 4} y={y(last.ceilingV) - 4} fontSize={11} textAnchor="end" fill="var(--soft)">
          {num(last.ceilingV, 3)} V
        </text>
        {[first.c, (first.c + last.c) / 2, last.c].map((c, i) => (
          <text
            key={c}
            x={x(c)}
            y={height + 13}
            fontSize={11}
            fill="var(--soft)"
            textAnchor={i === 0 ? 'start' : i === 1 ? 'middle' : 'end'}
          >
            {num(c)} °C
          </text>
        ))}
      </svg>
    </div>
  );
}

/** What a base clock moves, and the memory rate and fabric clock that stay where they are proven. */
export function PlanTable({ plan }: { plan: Drawings['plan'] }) {
  const moved = plan.derived.some((d) => Math.abs(d.percent) > 0.01);
  return (
    <div className="mt-2 max-w-[46rem]" data-plan="">
      <p className="mb-1">
        <span className="font-semibold">Clock plan</span>{' '}
        <span className="text-soft">
          at a base clock of {num(plan.baseMHz, 1)} MHz
          {plan.memorySetting > 0 &&
            `: set the memory to ${num(plan.memorySetting)} MT/s, which becomes ${num(plan.memoryMTs)} MT/s${
              plan.fabricSetting > 0
                ? `, the fabric to ${num(plan.fabricSetting)} MHz (${plan.synchronous ? 'in step' : 'not in step'})`
                : ''
            }`}
        </span>
      </p>
      {moved && (
        <p className="flex flex-wrap gap-x-5">
          {plan.derived.map((d) => (
            <span key={d.name}>
              <span className="text-soft">{d.name}</span>{' '}
              <span className="num">
                {num(d.now)} {d.unit} {Math.abs(d.percent) > 0.01 ? `(${signed(d.percent, 1)} %)` : ''}
              </span>
            </span>
          ))}
        </p>
      )}
    </div>
  );
}

/** What the kit's timings come to at the rate in hand: what it needs are times, so a higher rate needs more clocks. */
export function MemoryTable({ memory }: { memory: Drawings['memory'] }) {
  return (
    <div className="mt-2" data-memory="">
      <p className="mb-1">
        <span className="font-semibold">Timings</span>{' '}
        <span className="text-soft">as times: what keeps the kit’s nanoseconds at {num(memory.mts)} MT/s</span>
      </p>
      <table className="table-thin">
        <thead>
          <tr>
            <th>Timing</th>
            <th className="right">The kit</th>
            <th className="right">keeps with</th>
            <th className="right">set to</th>
          </tr>
        </thead>
        <tbody>
          {memory.timings.map((t) => (
            <tr key={t.name} data-timing={t.name}>
              <td className="min-w-24">{t.name}</td>
              <td className="right num text-soft">
                {num(t.kitClocks)} = {num(t.kitNS, 2)} ns
              </td>
              <td className="right num">{num(t.keep)}</td>
              <td className={`right num ${t.tighter ? 'text-caution' : ''}`}>
                {num(t.set)} = {num(t.setNS, 2)} ns{t.tighter ? ', tighter' : ''}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {memory.proven.length > 0 && (
        <p className="mt-1 text-soft" data-proven-memory="">
          Held here:{' '}
          {memory.proven
            .slice(0, 3)
            .map(
              (m) =>
                `${num(m.mts)} MT/s at ${num(m.cl)}-${num(m.rcd)}-${num(m.rp)}${m.v != null ? ` and ${num(m.v, 2)} V` : ''}`,
            )
            .join('; ')}
          .
        </p>
      )}
    </div>
  );
}

/** What was entered for the core voltage on this rig, and what then arrived under load. */
export function EntryTable({ entries }: { entries: Drawings['entries'] }) {
  const heavy = entries.filter((e) => e.load === 'heavy').slice(-6);
  if (heavy.length === 0) return null;
  return (
    <div className="mt-2" data-entries="">
      <p className="mb-1 font-semibold">Entered and measured on this rig, heavy load</p>
      <table className="table-thin">
        <tbody>
          {heavy.map((e) => (
            <tr key={`${e.trim} ${e.measuredV}`}>
              <td className="min-w-40">{e.entered}</td>
              <td className="right num text-soft">{e.requestedV == null ? '' : `${num(e.requestedV, 3)} V asked`}</td>
              <td className="right num">{num(e.measuredV, 3)} V at the die</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
