/** What the list and the store tell differently: copies that are missing, on their way or leaving, and backups that nobody knows. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { When } from '../../ui/Office';
import { Failed, Refused } from '../../ui/States';
import { copyStateWords } from './words';

type CopyInQuestion = Schemas['CopyInQuestion'];

export function Differences({ storeId }: { storeId: string }) {
  const answer = useQuery({
    queryKey: key('stores', storeId, 'differences'),
    queryFn: () => told(client.GET('/api/stores/{id}/differences', { params: { path: { id: storeId } } })),
  });
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  if (!answer.data || answer.data.copies.length === 0) return null;
  const { copies } = answer.data;
  return (
    <section className="mb-3" aria-label="Differences">
      <h2>
        List and store differ <small>nothing is done about it until somebody says what</small>
      </h2>
      <div className="sheet scroll">
        <table className="rows">
          <tbody>
            {copies.map((copy) => (
              <CopyRow key={copy.id} copy={copy} />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function CopyRow({ copy }: { copy: CopyInQuestion }) {
  const may = useMay();
  const [sure, setSure] = useState(false);
  const giveUp = useAct(() => client.POST('/api/copies/{id}/give-up', { params: { path: { id: copy.id } } }), 'store');
  const missing = copy.state === 'missing';
  return (
    <tr>
      <td className="nowrap">{copyStateWords(copy.state)}</td>
      <td>
        <Link to={`/backups/${copy.backup_id}`}>
          {copy.device_name} of <When at={copy.backup_at} />
        </Link>{' '}
        <span className="quiet">{copy.holder}</span>
        <div className="hint">
          {copy.cause || copy.removed_why} {copy.remedy}
        </div>
        <Refused problem={giveUp.problem} />
      </td>
      <td className="num">
        {missing && may('set_up') && !sure && (
          <Button size="sm" variant="outline-danger" onClick={() => setSure(true)}>
            Give it up …
          </Button>
        )}
        {missing && sure && (
          <span className="nowrap">
            It stands in the list as removed then.{' '}
            <Button size="sm" variant="danger" disabled={giveUp.busy} onClick={() => giveUp.go()}>
              Give it up
            </Button>{' '}
            <Button size="sm" variant="outline-secondary" onClick={() => setSure(false)}>
              Cancel
            </Button>
          </span>
        )}
      </td>
    </tr>
  );
}

export function Accept({ store }: { store: Schemas['Store'] }) {
  const [sure, setSure] = useState(false);
  const accept = useAct(() => client.POST('/api/stores/{id}/accept', { params: { path: { id: store.id } } }), 'store');
  return (
    <div className="mt-2">
      <Refused problem={accept.problem} />
      {!sure && (
        <Button size="sm" variant="outline-danger" onClick={() => setSure(true)}>
          The newer drive is lost: use this one …
        </Button>
      )}
      {sure && (
        <>
          Every backup that it lacks is listed as missing then.{' '}
          <Button size="sm" variant="danger" disabled={accept.busy} onClick={() => accept.go()}>
            Use this one from now on
          </Button>{' '}
          <Button size="sm" variant="outline-secondary" onClick={() => setSure(false)}>
            Cancel
          </Button>
        </>
      )}
    </div>
  );
}
