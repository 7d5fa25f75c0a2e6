interface FieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
}

const look = 'block w-full border border-line bg-sheet px-1.5 py-0.5';

/** A labelled line of words. */
export function WordField({ label, value, onChange }: FieldProps) {
  return (
    <label className="block">
      <span className="block text-[13px] text-soft">{label}</span>
      <input className={look} value={value} onChange={(e) => onChange(e.target.value)} />
    </label>
  );
}

/** A labelled number, typed as people type it. */
export function NumberField({ label, value, onChange }: FieldProps) {
  return (
    <label className="block">
      <span className="block text-[13px] text-soft">{label}</span>
      <input
        className={`num ${look} text-right`}
        inputMode="decimal"
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </label>
  );
}
