/** Until which day something is put off, and why. */
import { useState } from 'react';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { DateField } from '../../ui/forms/DateField';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';

export function AskPutOff({ id, onDone }: { id: string; onDone: () => void }) {
  const [until, setUntil] = useState('');
  const [why, setWhy] = useState('');
  const ask = useAct(
    () => client.POST('/api/incidents/{id}/put-off', { params: { path: { id } }, body: { until, why } }),
    'incident',
    onDone,
  );
  const problem = ask.problem;
  return (
    <Dialog title="Put it off" action="Put it off" onSubmit={() => ask.go()} onCancel={onDone} problem={problem} busy={ask.busy}>
      <p>It is not counted until then, and nobody is told of it. It closes by itself if the cause goes away before.</p>
      <DateField label="Back on" value={until} onChange={setUntil} field="until" required />
      <Field label="What it waits for" value={why} onChange={setWhy} field="why" maxLength={200} required />
    </Dialog>
  );
}
