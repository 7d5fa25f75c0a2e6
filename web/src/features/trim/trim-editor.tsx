import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useLocation } from 'wouter';
import { api, type Check, type Rig, type Setting, type Settings, type Trim, take, type Value } from '../../api/client';
import { checkQuery, drawingsQuery } from '../../api/queries';
import { useSeen } from '../../api/version';
import { Button, Heading, Problem, SheetWithDock } from '../../ui/elements';
import { trimName } from '../../ui/format';
import { sheetPath } from '../../ui/sheet';
import { ForecastDock, PreflightDock } from './forecast-dock';
import { Groups } from './groups';

interface EditorProps {
  rig: Rig;
  rows: Setting[];
  parent: Trim;
  /** The draft that is being changed; absent for a new trim. */
  draft?: Trim;
  /** What the new trim begins with. */
  changes?: Settings;
}

/** Makes a trim, or changes a draft: forecast and preflight follow each keystroke. */
export function TrimEditor({ rig, rows, parent, draft, changes: begin }: EditorProps) {
  const [, go] = useLocation();
  const queries = useQueryClient();
  const [changes, setChanges] = useState<Settings>(() => begin ?? changesOf(draft, parent));
  const [name, setName] = useState(draft?.name ?? '');
  const [reason, setReason] = useState(draft?.reason ?? '');
  const check = useQuery(checkQuery(rig.id, parent.id, changes));
  const [find, setFind] = useState('');
  const drawings = useQuery(drawingsQuery(rig.id, parent.id, useDeferredValue(changes)));
  const findings = check.data?.findings ?? [];
  const wrong = stopped(check.data);
  const set = (key: string, value: Value) => setChanges((now) => ({ ...now, [key]: value }));
  const proposed = check.data?.reason ?? '';
  const seen = useSeen(draft?.version);
  const save = useMutation({
    meta: { touches: ['trim'] },
    onError: seen.onError,
    // Whoever types and presses Enter at once is not made to wait for the check: it is waited for here.
    mutationFn: async () => {
      const now = await queries.fetchQuery(checkQuery(rig.id, parent.id, changes));
      if (!mayBeSaved(now)) return null;
      const body = { name: name.trim() || titleOf(now), reason: reason.trim() || now.reason, settings: changes };
      return draft
        ? take(api.PATCH('/api/trims/{trim}', { params: { path: { trim: draft.id } }, headers: seen.headers, body }))
        : take(
            api.POST('/api/rigs/{rig}/trims', {
              params: { path: { rig: rig.id } },
              body: { parent: parent.id, ...body },
            }),
          );
    },
    onSuccess: async (trim) => {
      if (trim) go(sheetPath(rig.id, 'trim', trim.id));
    },
  });
  const refused = check.data && !check.isPlaceholderData && !mayBeSaved(check.data);
  return (
    <SheetWithDock
      dock={
        <>
          {check.data && <ForecastDock check={check.data} />}
          {check.data && (
            <PreflightDock findings={findings} onFix={(fix) => setChanges((now) => ({ ...now, ...fix }))} />
          )}
          <Problem error={check.error} />
        </>
      }
    >
      <Heading note={draft ? 'a draft: it changes until it is fitted' : 'it gets its number when it is saved'}>
        {draft ? `${trimName(draft)}, draft` : `New trim from ${trimName(parent)}`}
      </Heading>
      <form
        className="mb-2 grid grid-cols-[220px_minmax(0,1fr)_auto_auto] items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!refused && !save.isPending) save.mutate();
        }}
      >
        <label className="block">
          <span className="text-[13px] text-soft">Name</span>
          <input
            value={name}
            maxLength={80}
            placeholder={proposed ? titleOf(check.data) : 'what changes'}
            onChange={(e) => setName(e.target.value)}
            className="block w-full border border-line bg-sheet px-2 py-0.5"
          />
        </label>
        <label className="block">
          <span className="text-[13px] text-soft">Why</span>
          <input
            value={reason}
            maxLength={2000}
            placeholder={proposed || 'the reason for this step'}
            onChange={(e) => setReason(e.target.value)}
            className="block w-full border border-line bg-sheet px-2 py-0.5"
          />
        </label>
        <Button reads onClick={() => go(sheetPath(rig.id, 'trim', (draft ?? parent).id))}>
          Discard
        </Button>
        <Button main type="submit" disabled={refused || save.isPending}>
          Save trim
        </Button>
      </form>
      <Problem error={save.error} />
      <input
        type="search"
        aria-label="Find a setting"
        value={find}
        placeholder="Find a setting, by its name or by this board’s words"
        onChange={(e) => setFind(e.target.value)}
        className="mb-2 block w-full border-b border-line bg-transparent px-1 py-0.5"
      />
      <Groups
        rig={rig}
        find={find}
        inert={check.data?.inert ?? {}}
        curve={check.data?.curve}
        drawings={drawings.data}
        rows={rows}
        values={{ ...parent.settings, ...changes }}
        parent={parent.settings}
        onChange={set}
        wrong={wrong}
        open={(g) => parent.next.includes(g)}
      />
    </SheetWithDock>
  );
}

/** The settings for which preflight stops a trim. */
function stopped(check: Check | undefined): Set<string> {
  return new Set((check?.findings ?? []).filter((f) => f.level === 'stop').flatMap((f) => f.fields));
}

function mayBeSaved(check: Check): boolean {
  return check.changes.length > 0 && stopped(check).size === 0;
}

/** What a trim is called that nobody gave a name. */
function titleOf(check: Check | undefined): string {
  return check?.reason.slice(0, 60) || 'unnamed';
}

function changesOf(draft: Trim | undefined, parent: Trim): Settings {
  if (!draft) return {};
  return Object.fromEntries(Object.entries(draft.settings).filter(([key, v]) => v !== parent.settings[key]));
}
