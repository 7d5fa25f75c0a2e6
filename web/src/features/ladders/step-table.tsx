import type { Schemas } from '../../api/client';
import { Button } from '../../ui/elements';
import { loadNames, span } from '../../ui/format';

type Step = Schemas['LadderStep'];

/** Reads m:ss, h:mm:ss, or a number with s, min or h, as seconds. */
export function parseSpan(text: string): number | undefined {
  const clean = text.trim().replace(',', '.');
  const unit = clean.match(/^(\d*\.?\d+)\s*(s|min|h)?$/);
  if (unit) return Number(unit[1]) * { s: 1, min: 60, h: 3600 }[(unit[2] ?? 's') as 's' | 'min' | 'h'];
  const clock = clean.match(/^(?:(\d+):)?(\d{1,2}):(\d{2})$/);
  if (!clock) return undefined;
  return Number(clock[1] ?? 0) * 3600 + Number(clock[2]) * 60 + Number(clock[3]);
}

/** Reads cores such as 0-3, 6; none of them means all. */
export function parseCores(text: string): number[] | undefined {
  const cores = new Set<number>();
  for (const part of text.split(/[,;\s]+/).filter(Boolean)) {
    const range = part.match(/^(\d{1,3})(?:[-–](\d{1,3}))?$/);
    if (!range) return undefined;
    const to = Number(range[2] ?? range[1]);
    for (let core = Number(range[1]); core <= to; core++) cores.add(core);
  }
  return [...cores].sort((a, b) => a - b);
}

/** Writes cores so that parseCores reads them, runs of them as ranges. */
function listed(cores: number[] = []): string {
  const parts: string[] = [];
  cores.forEach((core, i) => {
    if (cores[i - 1] === core - 1 && cores[i + 1] === core + 1) return;
    const joins = cores[i - 1] === core - 1;
    if (joins) parts.push(`${parts.pop()}-${core}`);
    else parts.push(String(core));
  });
  return parts.join(', ');
}

const field = 'border border-line bg-sheet px-1 py-0.5';

/** The steps of a ladder, each a row that can be changed. */
export function StepTable({ steps, onChange }: { steps: Step[]; onChange: (steps: Step[]) => void }) {
  const change = (i: number, part: Partial<Step>) =>
    onChange(steps.map((s, k) => (k === i ? clean({ ...s, ...part }) : s)));
  const move = (i: number, by: number) => {
    const next = [...steps];
    const [step] = next.splice(i, 1);
    if (step) next.splice(i + by, 0, step);
    onChange(next);
  };
  return (
    <table className="table-thin w-full max-w-[56rem]" data-steps="">
      <thead>
        <tr>
          <th className="w-[190px]">Load</th>
          <th className="w-[84px]">Time</th>
          <th className="w-[110px]" />
          <th className="w-[76px]">Cores</th>
          <th className="w-[100px]">Vectors</th>
          <th className="w-[76px]">Hold at °C</th>
          <th className="w-[76px]">End at °C</th>
          <th className="w-[84px]">Memory MB</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {steps.map((s, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a step is its place
          <tr key={i}>
            <td>
              <select
                aria-label={`Load of step ${i + 1}`}
                className={`w-full ${field}`}
                value={s.load}
                onChange={(e) => change(i, { load: e.target.value, memoryMB: undefined })}
              >
                {Object.entries(loadNames).map(([kind, name]) => (
                  <option key={kind} value={kind}>
                    {name}
                  </option>
                ))}
              </select>
            </td>
            <td>
              <input
                key={String(s.seconds ?? s.perCoreS)}
                aria-label={`Time of step ${i + 1}`}
                className={`num w-full text-right ${field}`}
                defaultValue={span(s.seconds || s.perCoreS || 0)}
                onBlur={(e) => {
                  const seconds = parseSpan(e.target.value);
                  if (seconds === undefined) e.target.value = span(s.seconds || s.perCoreS || 0);
                  else change(i, s.perCoreS ? { perCoreS: seconds } : { seconds });
                }}
              />
            </td>
            <td>
              <select
                aria-label={`Meaning of the time of step ${i + 1}`}
                className={`w-full ${field}`}
                value={s.perCoreS ? 'core' : 'all'}
                onChange={(e) => {
                  const seconds = s.seconds || s.perCoreS;
                  change(
                    i,
                    e.target.value === 'core'
                      ? { perCoreS: seconds, seconds: undefined }
                      : { seconds, perCoreS: undefined },
                  );
                }}
              >
                <option value="all">in all</option>
                <option value="core">for each core</option>
              </select>
            </td>
            <td>
              <input
                key={listed(s.cores)}
                aria-label={`Cores of step ${i + 1}`}
                title="such as 0-3, 6; all when empty"
                placeholder="all"
                className={`num w-full ${field}`}
                defaultValue={listed(s.cores)}
                onBlur={(e) => {
                  const cores = parseCores(e.target.value);
                  if (cores === undefined) e.target.value = listed(s.cores);
                  else change(i, { cores: cores.length > 0 ? cores : undefined });
                }}
              />
            </td>
            <td>
              <select
                aria-label={`Vectors of step ${i + 1}`}
                className={`w-full ${field}`}
                value={s.width || 'widest'}
                onChange={(e) => change(i, { width: e.target.value === 'widest' ? undefined : e.target.value })}
              >
                <option value="widest">widest</option>
                <option value="512">512 bit</option>
                <option value="256">256 bit</option>
                <option value="portable">none</option>
              </select>
            </td>
            <NumberCell
              name={`Hold step ${i + 1} at`}
              value={s.targetC}
              onChange={(targetC) => change(i, { targetC })}
            />
            <NumberCell name={`End step ${i + 1} at`} value={s.abortC} onChange={(abortC) => change(i, { abortC })} />
            {s.load === 'memory' ? (
              <NumberCell
                name={`Memory of step ${i + 1}`}
                value={s.memoryMB}
                onChange={(memoryMB) => change(i, { memoryMB })}
              />
            ) : (
              <td />
            )}
            <td className="pl-2 whitespace-nowrap text-soft">
              <button type="button" title="Up" disabled={i === 0} onClick={() => move(i, -1)} className="px-1">
                ↑
              </button>
              <button
                type="button"
                title="Down"
                disabled={i === steps.length - 1}
                onClick={() => move(i, 1)}
                className="px-1"
              >
                ↓
              </button>
              <button
                type="button"
                title={`Remove step ${i + 1}`}
                onClick={() => onChange(steps.filter((_, k) => k !== i))}
                className="px-1"
              >
                ✕
              </button>
            </td>
          </tr>
        ))}
        <tr>
          <td colSpan={9}>
            <Button onClick={() => onChange([...steps, { load: 'heavy', seconds: 300 }])}>Add a step</Button>
          </td>
        </tr>
      </tbody>
    </table>
  );
}

function NumberCell({ name, value, onChange }: { name: string; value?: number; onChange: (value?: number) => void }) {
  return (
    <td>
      <input
        aria-label={name}
        type="number"
        className={`num w-full text-right ${field}`}
        value={value || ''}
        placeholder="–"
        onChange={(e) => onChange(e.target.value === '' ? undefined : e.target.valueAsNumber)}
      />
    </td>
  );
}

/** Leaves out what is not set. */
const clean = (s: Step): Step => Object.fromEntries(Object.entries(s).filter(([, v]) => v !== undefined)) as Step;
