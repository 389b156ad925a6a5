/** Where a plan's backups are to lie: runs go to the first store, the others get copies, each in its own time. */
import Button from 'react-bootstrap/Button';

import { useStores } from '../../api/queries';
import { TimeField } from '../../ui/forms/DateField';
import { Check, Choice } from '../../ui/forms/Field';
import { NumberField } from '../../ui/forms/NumberField';
import { SPANS, SPEEDS } from '../../ui/forms/numbers';
import { MOST_TARGETS, moved, newTarget, type Part, type Target } from './words';

export function Targets({ draft, set }: Part) {
  const stores = useStores();
  const targets = draft.targets ?? [];
  const free = (stores.data ?? []).filter((store) => !targets.some((target) => target.store === store.id));
  const put = (n: number, changes: Partial<Target>) =>
    set(
      'targets',
      targets.map((target, at) => (at === n ? { ...target, ...changes } : target)),
    );
  return (
    <fieldset className="field">
      <legend className="form-label fw-bold fs-6 mb-1">Where to</legend>
      <ol className="targets">
        {targets.map((target, n) => (
          <li key={target.store ?? n}>
            <OneTarget
              target={target}
              n={n}
              options={(stores.data ?? []).filter((store) => store.id === target.store || free.includes(store))}
              put={(changes) => put(n, changes)}
              move={() => set('targets', moved(targets, n, -1))}
              remove={
                targets.length > 1
                  ? () =>
                      set(
                        'targets',
                        targets.filter((_, at) => at !== n),
                      )
                  : null
              }
            />
          </li>
        ))}
      </ol>
      {free.length > 0 && targets.length < MOST_TARGETS && (
        <Button
          type="button"
          size="sm"
          variant="outline-primary"
          onClick={() => set('targets', [...targets, newTarget(free[0]?.id ?? null)])}
        >
          {targets.length ? 'Copy to another store as well' : 'Choose a store'}
        </Button>
      )}
    </fieldset>
  );
}

interface OneProps {
  target: Target;
  n: number;
  options: readonly { id: string; name: string }[];
  put: (changes: Partial<Target>) => void;
  move: () => void;
  remove: (() => void) | null;
}

function OneTarget({ target, n, options, put, move, remove }: OneProps) {
  const name = options.find((store) => store.id === target.store)?.name ?? 'this store';
  return (
    <>
      <div className="wide-narrow">
        <Choice
          label={n === 0 ? 'Runs go to' : 'Copies go to'}
          value={target.store ?? ''}
          onChange={(store) => put({ store: store || null })}
          options={[
            ...(target.store ? [] : [{ value: '', label: 'choose a store' }]),
            ...options.map((store) => ({ value: store.id, label: store.name })),
          ]}
          field={n === 0 ? 'store' : 'targets'}
        />
        <div className="row-end">
          {n > 0 && (
            <Button type="button" size="sm" variant="outline-secondary" aria-label={`Earlier: ${name}`} onClick={move}>
              Earlier
            </Button>
          )}
          {remove && (
            <Button type="button" size="sm" variant="outline-secondary" aria-label={`Leave out ${name}`} onClick={remove}>
              Leave out
            </Button>
          )}
        </div>
      </div>
      {n > 0 && <Limits target={target} put={put} />}
    </>
  );
}

function Limits({ target, put }: Pick<OneProps, 'target' | 'put'>) {
  return (
    <details>
      <summary>When and how fast</summary>
      <div className="halves">
        <NumberField
          label="After"
          value={target.delay_minutes * 60}
          onChange={(seconds) => put({ delay_minutes: Math.round((seconds ?? 0) / 60) })}
          units={SPANS}
          least={0}
          hint="So long after its backup; 0 for at once."
        />
        <NumberField
          label="Not faster than"
          value={target.limit_bytes_per_second ?? null}
          onChange={(limit_bytes_per_second) => put({ limit_bytes_per_second })}
          units={SPEEDS}
          least={16 * 1024}
          optional
          hint="Empty for no limit."
        />
        <TimeField
          label="Only from"
          value={(target.copies_from ?? '').slice(0, 5)}
          onChange={(time) => put({ copies_from: time || null })}
          hint="Empty for at any time."
        />
        <TimeField label="Until" value={(target.copies_until ?? '').slice(0, 5)} onChange={(time) => put({ copies_until: time || null })} />
      </div>
      <Check checked={target.not_metered} onChange={(not_metered) => put({ not_metered })}>
        Not while the office&apos;s line is metered
      </Check>
      <Check checked={target.falls_over} onChange={(falls_over) => put({ falls_over })}>
        A run may go here when the stores above cannot take it
      </Check>
    </details>
  );
}
