import { useQuery } from '@tanstack/react-query';
import { Link } from 'wouter';
import type { Schemas } from '../../api/client';
import { type EnergyAsk, energyQuery } from '../../api/queries';
import { Problem, Section } from '../../ui/elements';
import { num, signed } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { Group } from './side-table';

type Compared = Schemas['Compared'];
type Year = Schemas['EnergyYear'];

const uses = [
  ['idle', 'idle'],
  ['light', 'light'],
  ['mixed', 'game-like'],
  ['heavy', 'full load'],
] as const;

interface DayProps {
  rig: number;
  of: Compared[];
  ask: EnergyAsk;
  onAsk: (ask: EnergyAsk) => void;
}

/** The day and the price that a year is reckoned with: the workshop's, until somebody tries others. */
export function EnergyDay({ rig, of, ask, onAsk }: DayProps) {
  const energy = useQuery(
    energyQuery(
      of.map((one) => one.trim),
      ask,
    ),
  );
  const e = energy.data;
  if (!e) return <Problem error={energy.error} />;
  const hours = (key: (typeof uses)[number][0], text: string) => {
    const given = { idle: e.hours.idle, light: e.hours.light, mixed: e.hours.mixed, heavy: e.hours.heavy };
    onAsk({ ...ask, ...given, [key]: number(text) });
  };
  return (
    <Section title="A day of use" note="hours; else off">
      <div className="grid grid-cols-2 gap-x-3 gap-y-1 text-[13px]" data-energy-day="">
        {uses.map(([key, word]) => (
          <Figure
            key={key}
            label={word}
            unit="h"
            value={ask[key] ?? e.hours[key]}
            onChange={(text) => hours(key, text)}
          />
        ))}
        <Figure
          label="a kWh"
          unit={e.currency || 'no currency'}
          value={ask.perKWh ?? e.perKWh}
          onChange={(text) => onAsk({ ...ask, perKWh: number(text) })}
        />
        <Figure
          label="it cost"
          unit={e.currency}
          value={ask.cost ?? 0}
          onChange={(text) => onAsk({ ...ask, cost: number(text) })}
        />
      </div>
      {e.years.map(
        (y, i) =>
          y.payBack && (
            <p key={of[i]?.trim} className="mt-1 text-[13px]" data-pay-back="">
              <strong>{of[i]?.name}</strong>: {y.payBack}.
            </p>
          ),
      )}
      <p className="mt-1 text-[12.5px] text-soft">
        The workshop’s own day and price stand on its{' '}
        <Link className="underline" href={sheetPath(rig, 'workshop')}>
          sheet
        </Link>
        .
      </p>
      <Problem error={energy.error} />
    </Section>
  );
}

/** A number as it was typed; nothing typed is 0. */
const number = (text: string) => Number(text.replace(',', '.')) || 0;

interface FigureProps {
  label: string;
  unit: string;
  value: number;
  onChange: (text: string) => void;
}

function Figure({ label, unit, value, onChange }: FigureProps) {
  return (
    <label className="flex items-baseline gap-1.5">
      <span className="flex-1 text-soft">{label}</span>
      <input
        className="num w-14 border border-line bg-sheet px-1 text-right"
        inputMode="decimal"
        type="number"
        min={0}
        step="any"
        value={value}
        aria-label={label}
        onChange={(e) => onChange(e.target.value)}
      />
      <span className="w-5 text-soft">{unit}</span>
    </label>
  );
}

/** What a year of such days comes to, and what is saved of it. */
export function EnergyYears({ of, ask }: { of: Compared[]; ask: EnergyAsk }) {
  const energy = useQuery(
    energyQuery(
      of.map((one) => one.trim),
      ask,
    ),
  );
  const e = energy.data;
  if (!e || e.years.length !== of.length) return null;
  const line = (name: string, cell: (y: Year, i: number) => React.ReactNode) => (
    <tr data-energy={name}>
      <td>{name}</td>
      {e.years.map((y, i) => (
        <td key={of[i]?.trim} className="right">
          {cell(y, i)}
        </td>
      ))}
    </tr>
  );
  return (
    <Group title="Energy a year" note="from the wall, by a day of use" columns={of.length}>
      {line('Energy', (y, i) => (
        <Amount value={y.kWh} half={y.half} unit="kWh" saved={y.saved} scale={1} base={i === 0} lacks={y.lacks} />
      ))}
      {e.perKWh > 0 &&
        line('Money', (y, i) => (
          <Amount
            value={y.kWh}
            half={y.half}
            unit={e.currency}
            saved={y.saved}
            scale={e.perKWh}
            base={i === 0}
            lacks=""
          />
        ))}
      {line('Watts come from', (y) => (
        <span className="text-[12.5px] text-soft">{y.sources.join(', ')}</span>
      ))}
    </Group>
  );
}

interface AmountProps {
  value?: number | null;
  half?: number | null;
  unit: string;
  saved?: Schemas['EnergySaving'] | null;
  scale: number;
  base: boolean;
  lacks: string;
}

/** An amount with its interval, and what is saved against the base. */
function Amount({ value, half, unit, saved, scale, base, lacks }: AmountProps) {
  if (value == null) return <span className="text-[12.5px] text-soft">{lacks || '–'}</span>;
  return (
    <>
      <span className="num font-semibold">{num(value * scale)}</span>{' '}
      <span className="num text-[12px] text-soft">
        {half != null && `±${num(half * scale)}`} {unit}
      </span>
      {!base && saved && (
        <span className="block text-[12px]">
          <span className="num text-soft">
            {signed(-saved.kWh * scale)} ±{num(saved.half * scale)} {unit}
          </span>{' '}
          {saved.shown ? (
            <span className={saved.kWh > 0 ? 'text-held' : 'text-caution'}>{saved.kWh > 0 ? '● less' : '✕ more'}</span>
          ) : (
            <span className="text-soft">no difference shown</span>
          )}
        </span>
      )}
    </>
  );
}
