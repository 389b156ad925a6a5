/** Somebody has looked at holds without an end: those that are shown stand for another year. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { counted } from '../../ui/format';
import { Confirm } from '../../ui/forms/Confirm';
import { Refused } from '../../ui/States';

export function StillNeeded({ holds }: { holds: readonly Schemas['OnHold'][] }) {
  const [asking, setAsking] = useState(false);
  const act = useAct(
    (why: string) => client.POST('/api/holds/still-needed', { body: { backups: holds.map((one) => one.id), why } }),
    ['backup', 'incident'],
  );
  return (
    <>
      <Refused problem={act.problem} />
      <Button size="sm" variant="outline-primary" onClick={() => setAsking(true)}>
        These are still needed …
      </Button>
      {asking && (
        <Confirm
          title={`${counted(holds.length, 'hold stands', 'holds stand')} for another year?`}
          action="They are still needed"
          reason="Why they are still needed"
          onCancel={() => setAsking(false)}
          onConfirm={(why) => {
            setAsking(false);
            act.go(why);
          }}
        >
          <p>They have no end. In a year somebody is asked again. To let one go, open its backup and release it.</p>
        </Confirm>
      )}
    </>
  );
}
