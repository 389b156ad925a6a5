/** Keeps what was chosen: it is back at once, under a hold that says why. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { counted } from '../../ui/format';
import { DateField } from '../../ui/forms/DateField';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';

export function KeepAfterAll({ chosen, onDone }: { chosen: ReadonlySet<string>; onDone: () => void }) {
  const [asking, setAsking] = useState(false);
  if (chosen.size === 0) return null;
  return (
    <div className="chosen-bar" role="status">
      {counted(chosen.size, 'backup')} chosen{' '}
      <Button size="sm" onClick={() => setAsking(true)}>
        Keep after all …
      </Button>
      <Button size="sm" variant="outline-primary" onClick={onDone}>
        Choose none
      </Button>
      {asking && <Ask chosen={[...chosen]} onCancel={() => setAsking(false)} onDone={onDone} />}
    </div>
  );
}

function Ask({ chosen, onCancel, onDone }: { chosen: string[]; onCancel: () => void; onDone: () => void }) {
  const [reason, setReason] = useState('');
  const [until, setUntil] = useState('');
  const keep = useAct(
    () => client.POST('/api/leaving/keep', { body: { backups: chosen, reason, until: until || null } }),
    'backup',
    onDone,
  );
  return (
    <Dialog
      title={`Keep ${counted(chosen.length, 'backup')} after all?`}
      action="Keep"
      onSubmit={() => keep.go()}
      onCancel={onCancel}
      problem={keep.problem}
      busy={keep.busy}
    >
      <p>Each stays in every store that it was leaving, on hold until its day or until somebody releases it.</p>
      <Field label="Why it must stay" value={reason} onChange={setReason} maxLength={200} required field="reason" />
      <DateField label="Until" value={until} onChange={setUntil} hint="Empty: until it is released." field="until" />
    </Dialog>
  );
}
