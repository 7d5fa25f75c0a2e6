import { useLocation } from 'wouter';
import type { Rig, Trim } from '../../api/client';
import { Button, Section } from '../../ui/elements';
import { roughly } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';

/** What the trim has stood, what follows from that, and what is missing to its next grade. */
export function ProofDock({ rig, trim }: { rig: Rig; trim: Trim }) {
  const [, go] = useLocation();
  const p = trim.proof;
  if (!p) return null;
  return (
    <Section title="Proof" note={p.sumS > 0 ? `${roughly(p.sumS)} since its last fault` : undefined}>
      <div data-proof={trim.standing} className="text-[13px]">
        {p.stands && <p className="text-caution">{p.stands}</p>}
        <ul>
          {p.says.map((line) => (
            <li key={line} className="first-letter:uppercase">
              {line}.
            </li>
          ))}
        </ul>
        {p.lacks && (
          <p className="mt-1" data-lacks="">
            {p.stands ? 'Still to hold' : `Missing to ${p.next}`}: {p.lacks}.{' '}
            <span className="text-soft">It takes {roughly(p.takesS)}.</span>
          </p>
        )}
        {trim.inForce && p.lacks && (
          <Button className="mt-1" onClick={() => go(`${sheetPath(rig.id, 'trial')}?ladder=missing`)}>
            Run what is missing
          </Button>
        )}
      </div>
    </Section>
  );
}
