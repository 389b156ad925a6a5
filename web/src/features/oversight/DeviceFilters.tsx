/** What of the devices is shown, in which order and with which columns; and the ways to the whole list. */
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { Link } from 'react-router';

import { usePlans, useTeams } from '../../api/queries';
import { chosenColumns, EXTRA_COLUMNS, ORDERS, toggledColumn } from './columns';

export function DeviceFilters({
  get,
  set,
  written,
  choosing,
  onChoosing,
}: {
  set: (name: string, value: string | undefined) => void;
  get: (name: string) => string | undefined;
  written: string | null;
  choosing: boolean;
  onChoosing: (() => void) | undefined;
}) {
  const teams = useTeams();
  const plans = usePlans();
  const select = (name: string, label: string, options: { value: string; label: string }[]) => (
    <Form.Select size="sm" aria-label={label} value={get(name) ?? ''} onChange={(event) => set(name, event.target.value || undefined)}>
      <option value="">{label}</option>
      {options.map((option) => (
        <option key={option.value} value={option.value}>
          {option.label}
        </option>
      ))}
    </Form.Select>
  );
  return (
    <div className="filters">
      {select('order', 'Grouped by team, what is on time folded', ORDERS)}
      {select('team', 'Every team', [
        ...(teams.data ?? []).map((team) => ({ value: String(team.id), label: team.name })),
        { value: '0', label: 'without a team' },
      ])}
      {select(
        'plan',
        'Every plan',
        (plans.data ?? []).map((plan) => ({ value: plan.id, label: plan.name })),
      )}
      {select('link', 'Every link', [
        { value: 'agent', label: 'Agent' },
        { value: 'folder', label: 'Folder' },
        { value: 'sftp', label: 'SFTP' },
        { value: 'none', label: 'Not linked yet' },
      ])}
      <details className="drop">
        <summary>Columns</summary>
        <div className="sheet pad">
          {EXTRA_COLUMNS.map((column) => (
            <label key={column.code} className="check">
              <input
                type="checkbox"
                checked={chosenColumns(written).some((one) => one.code === column.code)}
                onChange={() => set('columns', toggledColumn(written, column.code))}
              />
              {column.label}
            </label>
          ))}
        </div>
      </details>
      <details className="drop">
        <summary>List</summary>
        <div className="sheet pad">
          <p>
            <a href="/api/devices/export?as=csv">Export as CSV</a>
            <br />
            <a href="/api/devices/export?as=json">Export as JSON</a>
          </p>
          <p className="mb-0">
            <Link to="/devices/import">Import a list</Link>
            <br />
            <Link to="/imports">Bring in old backups</Link>
            <br />
            <Link to="/teams">Teams and holders</Link>
          </p>
        </div>
      </details>
      {onChoosing && (
        <Button size="sm" variant="outline-primary" aria-pressed={choosing} onClick={onChoosing}>
          {choosing ? 'End choosing' : 'Choose several'}
        </Button>
      )}
    </div>
  );
}
