/** What of a device a plan takes: the whole of it, all but some kinds, or only some; and single things that are left out. */
import Button from 'react-bootstrap/Button';

import { useKinds } from '../../api/queries';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES } from '../../ui/forms/numbers';
import { Choice, Field } from '../../ui/forms/Field';
import { earlier, toggled, type Draft, type Part } from './words';

const REACHES = [
  { value: 'everything', label: 'the whole device' },
  { value: 'all_but', label: 'all but the kinds that are ticked' },
  { value: 'only', label: 'only the kinds that are ticked' },
];

export function What({ draft, set, change }: Part & { change: (next: Partial<Draft>) => void }) {
  const kinds = useKinds();
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
      {draft.reach !== 'everything' && <KindsGrid draft={draft} set={set} />}
      <SavedFirst draft={draft} set={set} />
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

function KindsGrid({ draft, set }: Part) {
  const kinds = useKinds();
  return (
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
          <input type="checkbox" checked={draft.kinds.includes(kind.code)} onChange={() => set('kinds', toggled(draft.kinds, kind.code))} />
          <span>
            {kind.label}
            {kind.secret && <span className="quiet"> (encrypted only)</span>}
          </span>
        </label>
      ))}
    </div>
  );
}

/** What is kept where no room is left for all, in its order. */
function SavedFirst({ draft, set }: Part) {
  const kinds = useKinds();
  const first = draft.first_kinds ?? [];
  const label = (code: string) => kinds.data?.find((kind) => kind.code === code)?.label ?? code;
  const others = (kinds.data ?? []).filter((kind) => !first.includes(kind.code));
  return (
    <fieldset>
      <legend className="form-label fw-bold fs-6 mb-1">Saved first</legend>
      {first.map((code, at) => (
        <div key={code} className="row-end mb-1">
          <span>
            {at + 1}. {label(code)}
          </span>
          {at > 0 && (
            <Button size="sm" variant="outline-primary" onClick={() => set('first_kinds', earlier(first, at))}>
              Earlier<span className="visually-hidden"> {label(code)}</span>
            </Button>
          )}
          <Button
            size="sm"
            variant="outline-danger"
            onClick={() =>
              set(
                'first_kinds',
                first.filter((one) => one !== code),
              )
            }
          >
            Remove<span className="visually-hidden"> {label(code)} from what is saved first</span>
          </Button>
        </div>
      ))}
      <Choice
        label="Save first, too"
        compact
        value=""
        onChange={(code) => code && set('first_kinds', [...first, code])}
        options={[
          { value: '', label: first.length ? 'and then …' : 'in the usual order' },
          ...others.map((kind) => ({ value: kind.code, label: kind.label })),
        ]}
        field="first_kinds"
        hint="Where no room is left for everything, these are kept, in this order."
      />
    </fieldset>
  );
}

type Exclusion = Draft['exclusions'][number];

function Exclusions({ draft, set }: Part) {
  const change = (at: number, entry: Partial<Exclusion>) =>
    set(
      'exclusions',
      draft.exclusions.map((one, n) => (n === at ? { ...one, ...entry } : one)),
    );
  const without = (at: number) => draft.exclusions.filter((_, n) => n !== at);
  return (
    <fieldset>
      <legend className="form-label fw-bold fs-6 mb-1">Leave out a folder, an album, an app</legend>
      {draft.exclusions.map((one, at) => (
        <ExclusionRow
          key={at}
          number={at + 1}
          one={one}
          onChange={(entry) => change(at, entry)}
          onRemove={() => set('exclusions', without(at))}
        />
      ))}
      <Button size="sm" variant="outline-primary" onClick={() => set('exclusions', [...draft.exclusions, { kind: 'photos', under: '' }])}>
        Add one
      </Button>
    </fieldset>
  );
}

interface RowProps {
  number: number;
  one: Exclusion;
  onChange: (entry: Partial<Exclusion>) => void;
  onRemove: () => void;
}

function ExclusionRow({ number, one, onChange, onRemove }: RowProps) {
  const kinds = useKinds();
  return (
    <div className="rule">
      <Choice
        compact
        label={`Kind of exclusion ${number}`}
        value={one.kind}
        onChange={(kind) => onChange({ kind: kind as Exclusion['kind'] })}
        options={(kinds.data ?? []).map((kind) => ({ value: kind.code, label: kind.label }))}
      />
      <Field
        compact
        required
        label={`What exclusion ${number} names`}
        placeholder="Camera/2026-01"
        value={one.under}
        onChange={(under) => onChange({ under })}
      />
      <Button size="sm" variant="outline-danger" aria-label={`Remove exclusion ${number}`} onClick={onRemove}>
        Remove
      </Button>
    </div>
  );
}
