/** What the list and the store tell differently: copies that are missing, on their way or leaving, and backups that nobody knows. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { Bytes } from '../../ui/Bytes';
import { grouped } from '../../ui/format';
import { When } from '../../ui/Office';
import { Failed, Refused } from '../../ui/States';
import { copyStateWords } from './words';

type Stray = Schemas['Stray'];
type CopyInQuestion = Schemas['CopyInQuestion'];

export function Differences({ storeId, storeName }: { storeId: string; storeName: string }) {
  const found = useQuery({
    queryKey: key('stores', storeId, 'differences'),
    queryFn: () => told(client.GET('/api/stores/{id}/differences', { params: { path: { id: storeId } } })),
  });
  if (found.isLoadingError) return <Failed problem={problemOf(found.error)} onRetry={() => void found.refetch()} />;
  if (!found.data || found.data.strays.length + found.data.copies.length === 0) return null;
  const { strays, copies } = found.data;
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
            {strays.map((stray) => (
              <StrayRow key={stray.id} stray={stray} storeName={storeName} />
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

function StrayRow({ stray, storeName }: { stray: Stray; storeName: string }) {
  const may = useMay();
  const adopt = useAct(
    (device: string) => client.POST('/api/strays/{id}/adopt', { params: { path: { id: stray.id } }, body: { device } }),
    ['store', 'backup'],
  );
  const device = stray.device_id;
  return (
    <tr>
      <td className="nowrap">not in the list</td>
      <td>
        {storeName} holds a backup of {stray.device_words} of <When at={stray.finished_at} />, {grouped(stray.items)} items,{' '}
        <Bytes count={stray.size_bytes} />.
        {!device && (
          <div className="hint">Its device is not in the register. Restore from it on the command line, or register the device first.</div>
        )}
        <Refused problem={adopt.problem} />
      </td>
      <td className="num">
        {device && may('keep') && (
          <Button size="sm" variant="outline-primary" disabled={adopt.busy} onClick={() => adopt.go(device)}>
            Take it into the list
          </Button>
        )}
      </td>
    </tr>
  );
}

/** An older copy of a drive in place of the one that is lost for good: asked twice, because what it lacks is given up with it. */
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
