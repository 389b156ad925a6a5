/** What of a device a plan takes: the whole of it, all but some kinds, or only some; and single things that are left out. */
import Button from 'react-bootstrap/Button';

import { useKinds } from '../../api/queries';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES } from '../../ui/forms/numbers';
import { Choice } from '../../ui/forms/Field';
import { toggled, type Draft, type Part } from './words';

const REACHES = [
  { value: 'everything', label: 'the whole device' },
  { value: 'all_but', label: 'all but the kinds that are ticked' },
  { value: 'only', label: 'only the kinds that are ticked' },
];

export function What({ draft, set, change }: Part & { change: (next: Partial<Draft>) => void }) {
  const kinds = useKinds();
  const chosen = draft.reach === 'everything' ? [] : draft.kinds;
  return (
    <fieldset className="field">
      <legend className="visually-hidden">What it takes</legend>
      <Choice
        label="What it takes"
        value={draft.reach}
        onChange={(reach) =>
          change({ reach: reach as Draft['reach'], kinds: reach === 'only' ? (kinds.data ?? []).map((kind) => kind.code) : [] })
        }
        options={REACHES}
        field="reach"
      />
      {draft.reach !== 'everything' && (
        <div className="kinds-grid">
          {kinds.data?.map((kind) => (
            <label
              key={kind.code}
              className="check"
              title={[
                `Leaves as ${kind.leaves_as}.`,
                kind.often_in_step && 'Often synchronised by an account; that is no backup.',
                kind.regained && 'Can be downloaded again.',
                !kind.crosses && 'Stays within its family.',
              ]
                .filter(Boolean)
                .join(' ')}
            >
              <input type="checkbox" checked={chosen.includes(kind.code)} onChange={() => set('kinds', toggled(draft.kinds, kind.code))} />
              <span>
                {kind.label}
                {kind.secret && <span className="quiet"> (encrypted only)</span>}
              </span>
            </label>
          ))}
        </div>
      )}
      <NumberField
        label="Leave out single items larger than"
        value={draft.larger_than_bytes ?? null}
        onChange={(value) => set('larger_than_bytes', value)}
        units={SIZES}
        least={1}
        optional
        hint="Empty takes all. What is left out is counted on each run."
        field="larger_than_bytes"
      />
      <Exclusions draft={draft} set={set} />
    </fieldset>
  );
}

function Exclusions({ draft, set }: Part) {
  const kinds = useKinds();
  const change = (at: number, entry: Partial<Draft['exclusions'][number]>) =>
    set(
      'exclusions',
      draft.exclusions.map((one, n) => (n === at ? { ...one, ...entry } : one)),
    );
  return (
    <fieldset>
      <legend className="form-label fw-bold fs-6 mb-1">Leave out a folder, an album, an app</legend>
      {draft.exclusions.map((one, at) => (
        <div key={at} className="rule">
          <select
            className="form-select form-select-sm"
            aria-label={`Kind of exclusion ${at + 1}`}
            value={one.kind}
            onChange={(event) => change(at, { kind: event.target.value as typeof one.kind })}
          >
            {kinds.data?.map((kind) => (
              <option key={kind.code} value={kind.code}>
                {kind.label}
              </option>
            ))}
          </select>
          <input
            className="form-control form-control-sm"
            aria-label={`What exclusion ${at + 1} names`}
            placeholder="Camera/2026-01"
            value={one.under}
            onChange={(event) => change(at, { under: event.target.value })}
          />
          <Button
            size="sm"
            variant="outline-danger"
            aria-label={`Remove exclusion ${at + 1}`}
            onClick={() =>
              set(
                'exclusions',
                draft.exclusions.filter((_, n) => n !== at),
              )
            }
          >
            Remove
          </Button>
        </div>
      ))}
      <Button size="sm" variant="outline-primary" onClick={() => set('exclusions', [...draft.exclusions, { kind: 'photos', under: '' }])}>
        Add one
      </Button>
    </fieldset>
  );
}
