interface Judged {
  better: string;
  shown: boolean;
  gain: boolean;
}

/** What a difference means, in words and marks: first what is missing for one, then why it is not judged, and of what is not shown
 * the size that would have been. */
export function Meaning({
  missing,
  doubtful,
  above,
  row,
}: {
  missing: string;
  doubtful: string;
  above?: string;
  row: Judged;
}) {
  if (missing || doubtful) return <span className="text-soft">{missing || doubtful}</span>;
  if (!row.shown && above)
    return (
      <span className="text-soft" title={`A difference of ${above} would be shown four times of five.`}>
        none shown above {above}
      </span>
    );
  if (!row.shown) return <span className="text-soft">no difference shown</span>;
  if (row.better === 'neither') return <span>differs</span>;
  return row.gain ? <span className="text-held">● better</span> : <span className="text-caution">✕ worse</span>;
}
