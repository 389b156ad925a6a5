/** The retention rule of a plan, as a sentence with its numbers in place. */
import { Choice } from '../../ui/forms/Field';
import { NumberField } from '../../ui/forms/NumberField';
import { SPANS } from '../../ui/forms/numbers';
import type { Keeping, KeepingPart } from './words';

const COUNTS: ['keep_last' | 'keep_hourly' | 'keep_daily' | 'keep_weekly' | 'keep_monthly' | 'keep_yearly', string][] = [
  ['keep_last', 'Last'],
  ['keep_hourly', 'Hours'],
  ['keep_daily', 'Days'],
  ['keep_weekly', 'Weeks'],
  ['keep_monthly', 'Months'],
  ['keep_yearly', 'Years'],
];

const UNITS = ['days', 'weeks', 'months', 'years'].map((unit) => ({ value: unit, label: unit }));

export function Keeps({ draft, set }: KeepingPart) {
  return (
    <fieldset className="field">
      <legend className="form-label fw-bold fs-6 mb-1">What is kept</legend>
      <p className="hint mb-1">The newest ones whatever their age, and one of each of so many hours, days … that have a backup.</p>
      <div className="keeps-counts">
        {COUNTS.map(([name, label]) => (
          <NumberField
            key={name}
            label={label}
            value={draft[name]}
            onChange={(value) => set(name, value ?? 0)}
            least={0}
            most={1000}
            field={name}
          />
        ))}
      </div>
      <Ages draft={draft} set={set} />
    </fieldset>
  );
}

/** By age, whatever the counts say. */
function Ages({ draft, set }: KeepingPart) {
  return (
    <details>
      <summary>By age</summary>
      <PeriodField
        label="Everything of the last"
        name="keep_within"
        unit="keep_within_unit"
        draft={draft}
        set={set}
        hint="Empty: counts alone."
      />
      <NumberField
        label="Nothing leaves before it is"
        value={draft.keep_minimum_age_seconds ?? null}
        onChange={(value) => set('keep_minimum_age_seconds', value)}
        units={SPANS}
        least={0}
        optional
        field="keep_minimum_age"
        hint="Old, whatever the counts say. Empty: 7 days, or the promise where that is longer."
      />
      <PeriodField
        label="Counts keep nothing older than"
        name="keep_greatest_age"
        unit="keep_greatest_age_unit"
        draft={draft}
        set={set}
        hint="Empty: without an end. A device's last backup stays all the same."
      />
    </details>
  );
}

interface PeriodProps extends KeepingPart {
  label: string;
  name: 'keep_within' | 'keep_greatest_age';
  unit: 'keep_within_unit' | 'keep_greatest_age_unit';
  hint: string;
}

function PeriodField({ label, name, unit, hint, draft, set }: PeriodProps) {
  return (
    <div className="wide-narrow">
      <NumberField
        label={label}
        value={draft[name] ?? null}
        onChange={(value) => set(name, value)}
        least={1}
        whole
        optional
        hint={hint}
        field={name}
      />
      <Choice label="counted in" value={draft[unit]} onChange={(told) => set(unit, told as Keeping['keep_within_unit'])} options={UNITS} />
    </div>
  );
}
