import { useQuery } from '@tanstack/react-query';
import { Link, useLocation } from 'wouter';
import type { Rig, Trim } from '../../api/client';
import { soundingsQuery } from '../../api/queries';
import { Button, Section } from '../../ui/elements';
import { num, roughly } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';

/** What the trim has stood, what follows from that, and what is missing to its next grade. */
export function ProofDock({ rig, trim }: { rig: Rig; trim: Trim }) {
  const [, go] = useLocation();
  const p = trim.proof;
  if (!p) return null;
  const next = p.stands ? 'still' : p.next && `to ${p.next}`;
  return (
    <Section title="Proof" note={p.sumS > 0 ? `${roughly(p.sumS)} since its last fault` : undefined}>
      <div data-proof={trim.standing} className="text-[13px]">
        {p.stands && <p className="mb-1 text-caution">{p.stands}</p>}
        <table className="w-full text-[12.5px]">
          <thead>
            <tr className="text-left align-bottom text-[11.5px] leading-tight text-soft">
              <th className="font-normal">no fault in</th>
              <th className="num text-right font-normal" />
              <th className="pl-1.5 text-right font-normal">at 95 % fewer than one in</th>
              <th className="pl-1.5 text-right font-normal">{next}</th>
            </tr>
          </thead>
          <tbody>
            {[...p.regimes, ...(p.used.stoodS > 0 ? [p.used] : [])].map((r) => (
              <tr key={r.words} data-stood={r.words} className="border-t border-dotted border-line">
                <td className="whitespace-nowrap">{r.words}</td>
                <td className="num text-right text-[12px] whitespace-nowrap">
                  {r.stoodS > 0 ? roughly(r.stoodS) : '–'}
                </td>
                <td className="num pl-1.5 text-right text-[12px] whitespace-nowrap">
                  {r.boundS > 0 && roughly(r.boundS)}
                </td>
                <td className="num pl-1.5 text-right text-[12px] whitespace-nowrap text-soft">
                  {r.lackS > 0 && `+${roughly(r.lackS)}`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <Believed rig={rig} trim={trim} />
        {trim.inForce && p.lacks && (
          <Button reads className="mt-1.5" onClick={() => go(`${sheetPath(rig.id, 'trial')}?ladder=missing`)}>
            Run what is missing, {roughly(p.takesS)}
          </Button>
        )}
      </div>
    </Section>
  );
}

/** Beside the grades: the chance of a fault as the soundings tell it, and the clearance of the core that has least. */
function Believed({ rig, trim }: { rig: Rig; trim: Trim }) {
  const at = useQuery(soundingsQuery(rig.id, trim.id)).data;
  if (!at?.at || at.trim !== trim.id) return null;
  const least = at.cores.reduce((a, b) => (b.clearance < a.clearance ? b : a));
  return (
    <p className="mt-1" data-believed={at.at.risk}>
      By the{' '}
      <Link href={sheetPath(rig.id, 'soundings', trim.id)} className="underline">
        soundings
      </Link>{' '}
      <span className={at.at.known && at.at.risk > at.allowed ? 'font-semibold text-caution' : 'font-semibold'}>
        {at.at.words}
      </span>{' '}
      <span className="text-soft">
        ({num(100 * at.at.low, 1)} to {num(100 * at.at.high, 1)} % a day)
      </span>
      ; core {least.core} is {num(least.clearance)} steps above where it fails.
    </p>
  );
}
