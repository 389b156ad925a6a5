/** A backup that was made while the server's clock was in doubt: confirm its date, or correct it. */
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { Field } from '../../ui/Field';
import { Refused } from '../../ui/States';
import type { Backup } from './queries';

export function DoubtedDate({ backup, mayChange }: { backup: Backup; mayChange: boolean }) {
  const queries = useQueryClient();
  const [at, setAt] = useState('');
  const settle = useMutation({
    mutationFn: (moment: string | null) => told(client.POST('/api/backups/{id}/date', { params: { path: { id: backup.id } }, body: { at: moment } })),
    onSuccess: () => queries.invalidateQueries(),
  });
  const problem = settle.error ? problemOf(settle.error) : null;
  return (
    <div className="said bad">
      <strong>Its date is in doubt: the server's clock was, when it was made.</strong> It restores like any other. No promise and no rule counts it until its date is settled.
      {mayChange && (
        <form
          className="mt-2"
          onSubmit={(event) => {
            event.preventDefault();
            settle.mutate(at || null);
          }}
        >
          <Refused problem={problem} />
          <Field label="It was made on" type="datetime-local" value={at} onChange={setAt} problem={problem} field="at" hint="By the clock of the office. Empty: the date that it has is right." />
          <Button type="submit" size="sm" variant="outline-primary" disabled={settle.isPending}>
            {at ? 'Correct it' : 'Its date is right'}
          </Button>
        </form>
      )}
    </div>
  );
}
