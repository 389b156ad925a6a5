/** The teams whose devices follow a plan as long as they have none: whoever joins is covered. */
import { useTeams } from '../../api/queries';
import { Check } from '../../ui/forms/Field';
import { toggled, type Part } from './words';

export function Joins({ draft, set }: Part) {
  const teams = useTeams();
  const chosen = draft.teams ?? [];
  if (!teams.data?.length) return null;
  return (
    <fieldset className="field">
      <legend className="form-label fw-bold fs-6 mb-1">Whoever joins follows it</legend>
      <div className="thirds">
        {teams.data.map((team) => (
          <Check key={team.id} checked={chosen.includes(team.id)} onChange={() => set('teams', toggled(chosen, team.id))}>
            {team.name}
          </Check>
        ))}
      </div>
      <p className="hint mb-0">A device of these teams that has no plan follows this one from then on. A team has one such plan.</p>
    </fieldset>
  );
}
