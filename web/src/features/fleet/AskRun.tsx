/** A run by hand: with an occasion its backup is on hold until somebody releases it, or until a day. */
import { useState } from 'react';
import { useNavigate } from 'react-router';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { Dialog } from '../../ui/forms/Dialog';
import { DateField } from '../../ui/forms/DateField';
import { Choice, Field } from '../../ui/forms/Field';
import { OCCASIONS } from '../../ui/occasions';

export function AskRun({ row, onCancel }: { row: Schemas['DeviceRow']; onCancel: () => void }) {
  const navigate = useNavigate();
  const [body, setBody] = useState<Schemas['AskRunRequest']>({ note: '', occasion: '', hold_until: null });
  const run = useAct(
    () => client.POST('/api/devices/{id}/run', { params: { path: { id: row.id } }, body }),
    'run',
    (asked) => void navigate(`/history/${asked.id}`),
  );
  const problem = run.problem;
  return (
    <Dialog
      title={`Run ${row.name} of ${row.holder} now?`}
      action="Start the run"
      onSubmit={() => run.go()}
      onCancel={onCancel}
      problem={problem}
      busy={run.busy}
    >
      <Choice
        label="Occasion"
        value={body.occasion}
        onChange={(occasion) => setBody({ ...body, occasion: occasion as typeof body.occasion })}
        options={OCCASIONS}
        field="occasion"
      />
      {body.occasion && (
        <DateField
          label="On hold until"
          value={body.hold_until ?? ''}
          onChange={(day) => setBody({ ...body, hold_until: day || null })}
          hint="Empty: until somebody releases it. No rule removes it before."
          field="hold_until"
        />
      )}
      <Field
        label="Note"
        value={body.note}
        onChange={(note) => setBody({ ...body, note })}
        maxLength={200}
        hint="Stands beside the backup, for whoever looks for it."
      />
    </Dialog>
  );
}
