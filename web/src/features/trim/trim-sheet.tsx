import { useQuery } from '@tanstack/react-query';
import type { Rig, Setting, Trim } from '../../api/client';
import { checkQuery, settingsQuery, trimsQuery, useRig } from '../../api/queries';
import { Empty } from '../../ui/elements';
import type { SheetProps } from '../../ui/sheet';
import { TrimEditor } from './trim-editor';
import { TrimView } from './trim-view';

/** What shall change, is it sane, what will it do? */
export function TrimSheet({ rig, id, mode }: SheetProps) {
  const owner = useRig(rig);
  const trims = useQuery(trimsQuery(rig));
  const settings = useQuery({ ...settingsQuery(rig), enabled: owner?.parts != null });
  if (owner && !owner.parts) {
    return (
      <Empty>
        <div className="px-4">
          <strong>The settings of {owner.name} are not known,</strong> since no part sheets are named for it. Trials and
          scores work all the same: they are kept under the trim “as found”.
        </div>
      </Empty>
    );
  }
  if (!owner || !trims.data || !settings.data) return <p className="p-4 text-soft">Reading the trims …</p>;
  const trim = trims.data.find((t) => t.id === (id ?? owner.trimInForce)) ?? trims.data.at(-1);
  if (!trim) return <p className="p-4 text-soft">There is no trim yet.</p>;
  const parent = trims.data.find((t) => t.id === trim.parent);
  if (mode === 'new') return <TrimEditor rig={owner} rows={settings.data} parent={trim} />;
  if (mode === 'spec') return <SpecEditor rig={owner} rows={settings.data} parent={trim} />;
  if (mode === 'edit' && parent) return <TrimEditor rig={owner} rows={settings.data} parent={parent} draft={trim} />;
  const proven = trims.data.find((t) => t.id === trim.backTo);
  return <TrimView rig={owner} rows={settings.data} trim={trim} parent={parent} proven={proven} />;
}

/** A new trim that begins with every limit as the maker specifies it. */
function SpecEditor({ rig, rows, parent }: { rig: Rig; rows: Setting[]; parent: Trim }) {
  const check = useQuery(checkQuery(rig.id, parent.id, {}));
  if (!check.data) return <p className="p-4 text-soft">Reading the maker’s limits …</p>;
  return <TrimEditor rig={rig} rows={rows} parent={parent} changes={check.data.withinSpec} />;
}
