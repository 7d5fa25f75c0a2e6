import { useQuery } from '@tanstack/react-query';
import { goalsQuery } from '../../api/queries';

/** What a tuning of a rig is for, by now. */
export function GoalSelect({ value, onChange }: { value: string; onChange: (goal: string) => void }) {
  const goals = useQuery(goalsQuery).data ?? [];
  return (
    <select
      aria-label="Goal"
      className="border border-line bg-sheet px-1.5 py-0.5"
      value={value}
      onChange={(e) => onChange(e.target.value)}
    >
      <option value="">not said yet</option>
      {goals.map((g) => (
        <option key={g.goal} value={g.goal}>
          {g.goal}
        </option>
      ))}
    </select>
  );
}
