import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Redirect, useLocation } from 'wouter';
import { useLive } from './api/live';
import { meQuery } from './api/me';
import { rigsQuery, telemetryQuery, trialQuery, trialsQuery, trimsQuery } from './api/queries';
import { EntryPage } from './features/entry/entry-page';
import { TakeIn } from './features/records/carry';
import { NewRig } from './features/rig/new-rig-sheet';
import { Frame } from './frame/frame';
import { sheetOf } from './frame/sheets';
import { Boundary } from './ui/boundary';
import { Empty } from './ui/elements';
import { sheetPath, useAddress } from './ui/sheet';

/** Asks at once for what the sheet at an address will need, instead of one thing after the other. */
function useAhead(rig?: string, sheet?: string, id?: string) {
  const queries = useQueryClient();
  useEffect(() => {
    if (sheet !== 'trial') return;
    void queries.prefetchInfiniteQuery(trialsQuery(Number(rig)));
    void queries.prefetchQuery(trimsQuery(Number(rig)));
    if (id) {
      void queries.prefetchQuery(trialQuery(Number(id)));
      void queries.prefetchQuery(telemetryQuery(Number(id)));
    }
  }, [queries, rig, sheet, id]);
}

/** The bench, for who may look at it. */
export function App() {
  const me = useQuery(meQuery);
  useQuery(rigsQuery); // asked for at the same time
  if (me.isPending) return <p className="p-6 text-soft">Reading the bench …</p>;
  if (me.isError) return <Away />;
  return me.data.guarded && !me.data.name ? <EntryPage unowned={me.data.unowned} /> : <Bench />;
}

const Away = () => (
  <p className="p-6 text-caution">The server does not answer. It may be starting; this page tries again.</p>
);

function Bench() {
  useLive();
  const rigs = useQuery(rigsQuery);
  const [location] = useLocation();
  const at = useAddress();
  const [filling, setFilling] = useState(false); // what is told once is read before the page goes on
  useAhead(at.rig, at.sheet, at.id);
  if (rigs.isPending) return <p className="p-6 text-soft">Reading the bench …</p>;
  if (rigs.isError) return <Away />;
  const first = rigs.data[0];
  if (!first || filling) return <EmptyBench onBegin={() => setFilling(true)} />;
  const rig = rigs.data.find((r) => r.id === Number(at.rig));
  const sheet = sheetOf(at.sheet ?? '');
  const front = rigs.data.length > 1 && !rig ? 'fleet' : 'rig';
  if (!rig || !sheet) return <Redirect to={sheetPath((rig ?? first).id, front)} replace />;
  const Sheet = sheet.component;
  return (
    <Frame rigs={rigs.data} rig={rig} sheet={sheet.word}>
      <Boundary key={location}>
        <Sheet rig={rig.id} id={at.id ? Number(at.id) : undefined} mode={at.mode} />
      </Boundary>
    </Frame>
  );
}

function EmptyBench({ onBegin }: { onBegin: () => void }) {
  return (
    <main className="px-8 py-7">
      <p className="mb-6 font-bold tracking-[0.09em]">ZERO KEEL</p>
      <Empty>
        <strong>There is no rig yet.</strong> Add one, or take in an archive of another bench.
      </Empty>
      <div className="max-w-[44rem]">
        <NewRig />
      </div>
      <div className="mt-8 max-w-[26rem]">
        <TakeIn onBegin={onBegin} />
      </div>
    </main>
  );
}
