/** What a change of the plan does to what lies there: counts, the days that would be lost, and the real history with each backup's fate. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { counted, plainDay } from '../../ui/format';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';
import { useRested } from '../../ui/rested';
import { Failed } from '../../ui/States';
import { RealHistory } from './RealHistory';
import type { useSaving } from './saving';
import { consequenceWords, type Consequences as Told, type Draft } from './words';

export function Consequences({ id, draft }: { id: string; draft: Draft }) {
  const asked = useRested(JSON.stringify({ ...draft, name: draft.name || 'draft', id: id === 'new' ? null : id }));
  const found = useQuery({
    queryKey: key('consequences', asked),
    queryFn: ({ signal }) =>
      told(client.POST('/api/plans/consequences', { body: JSON.parse(asked) as Draft & { id: string | null }, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (found.isLoadingError) return <Failed problem={problemOf(found.error)} />;
  if (!found.data || found.data.leaves + found.data.stays === 0) return null;
  return (
    <section className="sheet pad in-view" aria-live="polite" aria-label="What it does to what lies there">
      <h2>{consequenceWords(found.data)}</h2>
      <Counts told={found.data} />
      <RealHistory devices={found.data.devices} more={found.data.device_count - found.data.devices.length} />
    </section>
  );
}

function Counts({ told: { stays, safeguarded, gaps, first_day, stores } }: { told: Told }) {
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

type Saving = Pick<ReturnType<typeof useSaving>, 'agree' | 'cancel' | 'problem' | 'busy'>;

/** Asked before anything is saved that lets something leave. */
export function SaveAndLetLeave({ save, shown, freed }: { save: Saving; shown: Told; freed?: ReactNode }) {
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
