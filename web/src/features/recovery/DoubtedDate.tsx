/** A backup that was made while the server's clock was in doubt: confirm its date, or correct it. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { Form } from '../../ui/forms/Form';
import { MomentField } from '../../ui/forms/DateField';
import type { Backup } from './queries';

export function DoubtedDate({ backup, mayChange }: { backup: Backup; mayChange: boolean }) {
  const [at, setAt] = useState('');
  const settle = useAct(
    (moment: string | null) => client.POST('/api/backups/{id}/date', { params: { path: { id: backup.id } }, body: { at: moment } }),
    'backup',
  );
  const problem = settle.problem;
  return (
    <div className="said bad">
      <strong>Its date is in doubt: the server's clock was, when it was made.</strong> It restores like any other. No promise and no rule
      counts it until its date is settled.
      {mayChange && (
        <Form className="mt-2" onSubmit={() => settle.go(at || null)} problem={problem}>
          <MomentField
            label="It was made on"
            value={at}
            onChange={setAt}
            field="at"
            hint="By the clock of the office. Empty: the date that it has is right."
          />
          <Button type="submit" size="sm" variant="outline-primary" disabled={settle.busy}>
            {at ? 'Correct it' : 'Its date is right'}
          </Button>
        </Form>
      )}
    </div>
  );
}
