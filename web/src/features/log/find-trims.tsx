import { useQuery } from '@tanstack/react-query';
import { useDeferredValue } from 'react';
import { Link } from 'wouter';
import { findQuery } from '../../api/queries';
import { Empty, Problem } from '../../ui/elements';
import { count, moment, trimName } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { Standing } from '../../ui/standing';

/** Trims of all rigs that hold some words: in a name, a reason, a note, a change or an outcome. */
export function FoundTrims({ words }: { words: string }) {
  const sought = useDeferredValue(words.trim());
  const found = useQuery({ ...findQuery(sought), enabled: sought !== '' });
  if (found.error) return <Problem error={found.error} />;
  const list = found.data;
  if (!list) return <p className="text-soft">Looking …</p>;
  return (
    <>
      <p className="mb-1 text-[13px] text-soft" data-found={list.trims.length}>
        {list.more ? `The newest ${list.trims.length}` : count(list.trims.length, 'trim')} of all rigs
      </p>
      {list.trims.length === 0 && (
        <Empty>
          <strong>No trim holds these words.</strong> Take one away, or try a setting by its name in the trade.
        </Empty>
      )}
      <ol className="row-rule">
        {list.trims.map((t) => (
          <li key={t.trim} className="flex gap-4 py-1" data-found-trim={`${t.rigName} ${t.number}`}>
            <span className="num w-[118px] shrink-0 text-[13px] text-soft">{moment(t.createdAt)}</span>
            <span className="w-[104px] shrink-0">
              <Link href={sheetPath(t.rig, 'trim', t.trim)} className="font-semibold underline">
                {t.rigName} {trimName(t)}
              </Link>
            </span>
            <span className="min-w-0 flex-1">
              {t.number > 0 && t.name} <Standing standing={t.standing} />{' '}
              <span className="text-soft">· {t.summary}</span>
              {t.changes && <span className="num block text-[12.5px]">{t.changes}</span>}
              {t.reason && <span className="block text-[13px] text-soft">{t.reason}</span>}
            </span>
          </li>
        ))}
      </ol>
    </>
  );
}
