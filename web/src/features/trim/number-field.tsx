import { type KeyboardEvent, useEffect, useRef, useState } from 'react';
import type { Setting, Value } from '../../api/client';

/** Units that may be typed behind a number, as factors to the setting's own unit. */
const units: Record<string, Record<string, number>> = {
  W: { w: 1, mw: 0.001, kw: 1000 },
  A: { a: 1, ma: 0.001 },
  MHz: { mhz: 1, ghz: 1000 },
  '°C': { c: 1, '°c': 1 },
  V: { v: 1, mv: 0.001 },
  mV: { mv: 1, v: 1000 },
  mΩ: { mω: 1, mohm: 1, ohm: 1000, ω: 1000 },
  s: { s: 1, ms: 0.001, min: 60 },
  kHz: { khz: 1, mhz: 1000 },
  'MT/s': { 'mt/s': 1, mts: 1 },
  '×': { x: 1, '×': 1 },
  clocks: { clk: 1, clocks: 1 },
  '%': { '%': 1 },
  steps: { st: 1, steps: 1 },
};

/** Reads what was typed: a number, either minus sign, either decimal mark, perhaps a unit. */
export function parseNumber(text: string, unit: string): number | undefined {
  const match = text
    .trim()
    .replace('\u2212', '-')
    .replace(',', '.')
    .match(/^([+-]?\d*\.?\d+)\s*([a-zω°%×/]*)$/i);
  if (!match) return undefined;
  const suffix = (match[2] ?? '').toLowerCase();
  const factor = suffix === '' ? 1 : units[unit]?.[suffix];
  return factor === undefined ? undefined : Number(match[1]) * factor;
}

interface NumberFieldProps {
  setting: Setting;
  /** A number, or a word that may stand in its place. */
  value: Value;
  onChange: (value: Value) => void;
  wrong?: boolean;
  className?: string;
}

/** A number that arrow keys move by the board's own step, with Shift by five. Words such as "auto" may be typed. */
export function NumberField({ setting, value, onChange, wrong, className = 'w-[74px]' }: NumberFieldProps) {
  const shown = String(value ?? '').replace('-', '\u2212');
  const [text, setText] = useState(shown);
  const [bad, setBad] = useState(false);
  // Keys may repeat faster than the page is drawn: each step goes from the last one, not from what is shown.
  const latest = useRef(value);
  latest.current = value;
  const read = (typed: string): Value | undefined => {
    const word = setting.choices.find((c) => c === typed.trim().toLowerCase());
    return word ?? parseNumber(typed, setting.unit);
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a value from outside replaces what is being typed
  useEffect(() => {
    setText((now) => (read(now) === value ? now : shown));
    setBad(false);
  }, [shown, value]);
  const type = (next: string) => {
    setText(next);
    const x = read(next);
    setBad(x === undefined);
    if (x !== undefined) onChange(x);
  };
  const nudge = (e: KeyboardEvent) => {
    if (e.key !== 'ArrowUp' && e.key !== 'ArrowDown') return;
    e.preventDefault();
    const by = setting.step * (e.shiftKey ? 5 : 1) * (e.key === 'ArrowUp' ? 1 : -1);
    // From a word the first step goes to the maker's value, where there is one.
    const from =
      typeof latest.current === 'number' ? latest.current + by : Number(setting.spec ?? setting.min) || setting.min;
    const next = Math.min(setting.max, Math.max(setting.min, Number(from.toFixed(6))));
    latest.current = next;
    onChange(next);
  };
  const words = setting.choices.length > 0 ? `, or ${setting.choices.join(', ')}` : '';
  return (
    <input
      aria-label={setting.name}
      aria-invalid={bad || wrong}
      inputMode="decimal"
      value={text}
      title={
        bad
          ? `Not a number in ${setting.unit}${words}`
          : `${setting.min} to ${setting.max} ${setting.unit}, step ${setting.step}${words}`
      }
      onChange={(e) => type(e.target.value)}
      onKeyDown={nudge}
      onBlur={() => bad && type(shown)}
      className={`num border border-line bg-sheet px-1.5 text-right aria-[invalid=true]:border-caution aria-[invalid=true]:text-caution ${className}`}
    />
  );
}
