import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { Redirect, useLocation } from 'wouter';
import { useLive } from './api/live';
import { rigsQuery, telemetryQuery, trialQuery, trialsQuery, trimsQuery } from './api/queries';
import { CardSheet } from './features/fitting/card';
import { FittingSheet } from './features/fitting/fitting-sheet';
import { LaddersSheet } from './features/ladders/ladders-sheet';
import { LogSheet } from './features/log/log-sheet';
import { PartsSheet } from './features/parts/parts-sheet';
import { RigSheet } from './features/rig/rig-sheet';
import { ScoresSheet } from './features/scores/scores-sheet';
import { TrialSheet } from './features/trial/trial-sheet';
import { TrimSheet } from './features/trim/trim-sheet';
import { Frame } from './frame/frame';
import { Boundary } from './ui/boundary';
import { Empty } from './ui/parts';

export interface SheetProps {
  rig: number;
  /** The trim or trial that the address names. */
  id?: number;
  mode?: string;
}

const sheets: Record<string, (props: SheetProps) => React.ReactNode> = {
  rig: RigSheet,
  trim: TrimSheet,
  fitting: FittingSheet,
  trial: TrialSheet,
  scores: ScoresSheet,
  card: CardSheet,
  parts: PartsSheet,
  log: LogSheet,
  ladders: LaddersSheet,
};

/** Asks at once for what the sheet at an address will need, instead of one thing after the other. */
function useAhead(location: string) {
  const queries = useQueryClient();
  useEffect(() => {
    const [, root, rig, sheet, id] = location.split('/');
    if (root !== 'rig' || sheet !== 'trial') return;
    void queries.prefetchQuery(trialsQuery(Number(rig)));
    void queries.prefetchQuery(trimsQuery(Number(rig)));
    if (id) {
      void queries.prefetchQuery(trialQuery(Number(id)));
      void queries.prefetchQuery(telemetryQuery(Number(id)));
    }
  }, [queries, location]);
}

export function App() {
  useLive();
  const rigs = useQuery(rigsQuery);
  const [location] = useLocation();
  useAhead(location);
  if (rigs.isPending) return <p className="p-6 text-soft">Reading the bench …</p>;
  if (rigs.isError)
    return <p className="p-6 text-caution">The server does not answer. It may be starting; this page tries again.</p>;
  const first = rigs.data[0];
  if (!first) {
    return (
      <Empty>
        <strong>There is no rig yet.</strong> Add one over the API (/api), then start its agent with the token you get.
      </Empty>
    );
  }
  // Addresses are /rig/RIG/SHEET, then the trim or trial shown, then what is done with it.
  const [, root, rigId, sheet = '', id, mode] = location.split('/');
  const rig = root === 'rig' ? rigs.data.find((r) => r.id === Number(rigId)) : undefined;
  const Sheet = sheets[sheet];
  if (!rig || !Sheet) return <Redirect to={`/rig/${(rig ?? first).id}/rig`} replace />;
  return (
    <Frame rigs={rigs.data} rig={rig} sheet={sheet}>
      <Boundary key={location}>
        <Sheet rig={rig.id} id={id ? Number(id) : undefined} mode={mode} />
      </Boundary>
    </Frame>
  );
}
