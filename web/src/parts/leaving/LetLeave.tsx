/** Asked before anything is saved that lets something leave: counts, the real history, a word where it is much. */
import { useState, type ReactNode } from 'react';

import { counted, plainDay } from '../../ui/format';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';
import { RealHistory } from './RealHistory';
import type { Seen } from './saving';
import { consequenceWords, type Told } from './words';

export function Counts({ told: { stays, safeguarded, gaps, first_day, stores } }: { told: Told }) {
  return (
    <dl className="facts">
      <dt>stay</dt>
      <dd>
        {counted(stays, 'backup')}
        {safeguarded > 0 && <span className="quiet">, {counted(safeguarded, 'copy', 'copies')} by a safeguard</span>}
      </dd>
      {stores.some((store) => store.leaves > 0) && (
        <>
          <dt>leave</dt>
          <dd>
            {stores
              .filter((store) => store.leaves > 0)
              .map((store) => `${store.leaves} from ${store.name}`)
              .join(', ')}
            {first_day && <span className="quiet">; none is gone before {plainDay(first_day)}, and each can be kept until then</span>}
          </dd>
        </>
      )}
      {gaps > 0 && (
        <>
          <dt className="tone-late">nothing to go back to</dt>
          <dd className="tone-late">for weeks, on {counted(gaps, 'device')}</dd>
        </>
      )}
    </dl>
  );
}

export function SaveAndLetLeave({ save, shown, freed }: { save: Omit<Seen<never>, 'go' | 'shown'>; shown: Told; freed?: ReactNode }) {
  const [word, setWord] = useState('');
  return (
    <Dialog
      title={consequenceWords(shown)}
      action="Save, and let them leave"
      danger
      size="lg"
      onSubmit={() => save.agree(word)}
      onCancel={save.cancel}
      problem={save.problem}
      busy={save.busy}
    >
      <Counts told={shown} />
      {freed}
      <RealHistory devices={shown.devices.filter((one) => one.leaves > 0).slice(0, 8)} more={0} />
      {shown.word && (
        <Field
          label={`This removes more than usual. Type “${shown.word}” to go on`}
          value={word}
          onChange={setWord}
          autoComplete="off"
          field="word"
          required
        />
      )}
    </Dialog>
  );
}

/** The same for whoever has nothing to add: nothing while nobody is asked. */
export function LetLeave({ save }: { save: Omit<Seen<never>, 'go'> }) {
  return save.shown && <SaveAndLetLeave save={save} shown={save.shown} />;
}
