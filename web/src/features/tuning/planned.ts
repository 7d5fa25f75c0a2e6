import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback } from 'react';
import { pilotsQuery } from '../../api/queries';
import { stepNames, surveys } from '../pilot/at-work';

/** Trims that are to come: the one that they begin with, and their names. */
export interface ToCome {
  from?: number;
  names: string[];
}

const none: ToCome = { names: [] };
const key = (rig: number) => ['planned', rig];

/** Lets the course show the trims that a plan would lead to, while it is looked at. */
export function usePlanned(rig: number) {
  const queries = useQueryClient();
  return useCallback((plan: ToCome) => void queries.setQueryData(key(rig), plan), [queries, rig]);
}

/** Steps that make trims. */
const making = ['memory', 'limits', 'clocks', 'ratio', ...surveys, 'power', 'fans'];

/** The trims to come on a rig's course: of the plan that is looked at, or of the tuning under way. */
export function useToCome(rig: number): ToCome {
  const planned = useQuery({ queryKey: key(rig), queryFn: () => none, enabled: false, initialData: none }).data;
  const pilot = useQuery(pilotsQuery(rig)).data?.[0];
  if (pilot && pilot.state !== 'ended' && pilot.plan.goal)
    return {
      from: pilot.from,
      names: pilot.plan.steps
        .slice(pilot.step + (pilot.now?.trim != null ? 1 : 0))
        .filter((s) => making.includes(s))
        .map((s) => stepNames[s] ?? s),
    };
  return planned;
}
