/** What teams, devices and the store itself may hold: soft ones call somebody, hard ones stop. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { age } from '../../ui/format';
import { useNow } from '../../ui/Office';
import { Failed, Loading, Refused } from '../../ui/States';
import { Bytes } from '../../ui/Bytes';
import { AllowanceForm } from './AllowanceForm';
import { standingWords, type Allowance } from './quotas';

export function Allowances({ storeId }: { storeId: string }) {
  const may = useMay();
  const [changing, setChanging] = useState<Allowance | 'new' | null>(null);
  const answer = useQuery({
    queryKey: key('stores', storeId, 'allowances'),
    queryFn: () => told(client.GET('/api/stores/{id}/allowances', { params: { path: { id: storeId } } })),
  });
  return (
    <section>
      <h2>Allowances in it</h2>
      <div className="sheet pad">
        {answer.isPending && <Loading what="allowances" />}
        {answer.isLoadingError && <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />}
        {answer.data?.length === 0 && <p>No team and no device has an allowance of its own here.</p>}
        {answer.data && answer.data.length > 0 && (
          <ul className="plain">
            {answer.data.map((one) => (
              <One key={one.id} one={one} onChange={() => setChanging(one)} />
            ))}
          </ul>
        )}
        {may('set_up') && (
          <Button size="sm" variant="outline-primary" onClick={() => setChanging('new')}>
            Set an allowance
          </Button>
        )}
      </div>
      {changing !== null && <AllowanceForm storeId={storeId} of={changing === 'new' ? null : changing} onClose={() => setChanging(null)} />}
    </section>
  );
}

function One({ one, onChange }: { one: Allowance; onChange: () => void }) {
  const may = useMay();
  const now = useNow();
  const take = useAct(() => client.DELETE('/api/allowances/{id}', { params: { path: { id: one.id } } }), 'store');
  const wrong = one.standing === 'full' || one.standing === 'overdue';
  return (
    <li>
      <strong>{one.of}</strong>: <Bytes count={one.hard_bytes === null ? one.soft_held : one.hard_held} />
      {one.soft_bytes !== null && (
        <>
          , soft at <Bytes count={one.soft_bytes} />
        </>
      )}
      {one.hard_bytes !== null && (
        <>
          , at most <Bytes count={one.hard_bytes} />
        </>
      )}
      <div className={wrong ? 'tone-late' : 'quiet'}>
        {standingWords(one, (at) => age(at, now))}
        {one.standing === 'within' && ` · ${one.runway.short}`}
      </div>
      {may('set_up') && (
        <>
          <Button size="sm" variant="link" onClick={onChange}>
            change<span className="visually-hidden"> the allowance of {one.of}</span>
          </Button>{' '}
          <Button size="sm" variant="link" disabled={take.busy} onClick={() => take.go()}>
            take away<span className="visually-hidden"> the allowance of {one.of}</span>
          </Button>
        </>
      )}
      <Refused problem={take.problem} />
    </li>
  );
}
