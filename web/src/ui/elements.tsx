import type { ButtonHTMLAttributes, ReactNode } from 'react';
import { Refusal } from '../api/client';
import { useMayChange } from '../api/me';

interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  /** The one thing that the sheet is about to do. */
  main?: boolean;
  /** The key that does the same. */
  hint?: string;
  /** It changes nothing on the bench: a guest may press it too. */
  reads?: boolean;
}

export function Button({ main, hint, reads, children, className = '', disabled, title, ...rest }: ButtonProps) {
  const barred = !useMayChange() && !reads;
  const look = main ? 'bg-ink text-paper border-ink' : 'bg-sheet text-ink border-ink hover:bg-tint-1';
  return (
    <button
      type="button"
      {...rest}
      disabled={disabled || barred}
      title={barred ? 'You are a guest here: you may look, and change nothing' : title}
      className={`act inline-flex items-center gap-2 rounded-[3px] border px-3 py-1 leading-snug disabled:border-line disabled:bg-paper disabled:text-soft ${look} ${className}`}
    >
      {children}
      {hint && <kbd className="num opacity-60">{hint}</kbd>}
    </button>
  );
}

/** Marks what was simulated. */
export function Sim() {
  return (
    <span
      title="a simulated rig"
      className="num rounded-[2px] border border-soft px-1 text-[10px] leading-[13px] text-soft"
    >
      SIM
    </span>
  );
}

/** A word for how something ended, with a mark beside it so that it is told without colour too. */
export function Verdict({ verdict, core = -1 }: { verdict: string; core?: number }) {
  if (!verdict) return <span className="text-soft">not judged</span>;
  const held = verdict === 'held' || verdict === 'in force';
  const mild = verdict === 'stopped' || verdict === 'void';
  const where = core >= 0 && !verdict.startsWith('core') ? ` on core ${core}` : core >= 0 ? ` (core ${core})` : '';
  return (
    <span className={held ? 'font-semibold text-held' : mild ? 'text-soft' : 'font-semibold text-caution'}>
      <span aria-hidden="true">{held ? '● ' : mild ? '○ ' : '✕ '}</span>
      {verdict}
      {where}
    </span>
  );
}

/** What the server said against something, beside where it was asked for. */
export function Problem({ error }: { error: unknown }) {
  if (!error) return null;
  const refusal = error instanceof Refusal ? error : undefined;
  return (
    <div role="alert" className="border-l-2 border-caution pl-2 text-caution">
      <p>{error instanceof Error ? error.message : 'The server does not answer.'}</p>
      {refusal?.faults.map((f) => (
        <p key={f.field + f.problem}>
          <span className="num">{f.field}</span> {f.problem}; {f.remedy}
        </p>
      ))}
    </div>
  );
}

export function Heading({ children, note }: { children: ReactNode; note?: ReactNode }) {
  return (
    <header className="mb-2 flex items-baseline gap-3">
      <h1 className="text-[17px] font-semibold">{children}</h1>
      {note && <p className="text-soft">{note}</p>}
    </header>
  );
}

export function Section({ title, children, note }: { title: string; children: ReactNode; note?: ReactNode }) {
  return (
    <section className="mb-4">
      <h2 className="mb-1 font-semibold">
        {title} {note && <span className="font-normal text-soft">{note}</span>}
      </h2>
      {children}
    </section>
  );
}

/** An empty sheet says the next step of the work. */
export function Empty({ children }: { children: ReactNode }) {
  return <div className="max-w-[34rem] py-10 text-soft [&_strong]:text-ink">{children}</div>;
}

/** A sheet with its dock on the right. */
export function SheetWithDock({ children, dock }: { children: ReactNode; dock: ReactNode }) {
  return (
    <div className="dock-grid h-full min-h-0">
      <div className="relative min-h-0 overflow-auto px-4 py-3">{children}</div>
      <aside className="relative min-h-0 overflow-auto border-l border-line px-4 py-3">{dock}</aside>
    </div>
  );
}
