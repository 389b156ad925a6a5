/** What the list and the store tell differently: copies that are missing, on their way or leaving, and backups that nobody knows. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { Bytes } from '../../ui/Bytes';
import { grouped } from '../../ui/format';
import { When } from '../../ui/Office';
import { Failed, Refused } from '../../ui/States';
import { copyStateWords } from './words';

type Stray = Schemas['Stray'];
type CopyInQuestion = Schemas['CopyInQuestion'];

export function Differences({ storeId, storeName, role }: { storeId: string; storeName: string; role: string | undefined }) {
  const found = useQuery({
    queryKey: ['stores', storeId, 'differences'],
    queryFn: () => told(client.GET('/api/stores/{id}/differences', { params: { path: { id: storeId } } })),
  });
  if (found.isError) return <Failed problem={problemOf(found.error)} onRetry={() => void found.refetch()} />;
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
              <CopyRow key={copy.id} copy={copy} storeId={storeId} role={role} />
            ))}
            {strays.map((stray) => (
              <StrayRow key={stray.id} stray={stray} storeId={storeId} storeName={storeName} role={role} />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function CopyRow({ copy, storeId, role }: { copy: CopyInQuestion; storeId: string; role: string | undefined }) {
  const queries = useQueryClient();
  const [sure, setSure] = useState(false);
  const giveUp = useMutation({
    mutationFn: () => told(client.POST('/api/copies/{id}/give-up', { params: { path: { id: copy.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ['stores', storeId] }),
  });
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
        <Refused problem={giveUp.error ? problemOf(giveUp.error) : null} />
      </td>
      <td className="num">
        {missing && role === 'administrator' && !sure && (
          <Button size="sm" variant="outline-danger" onClick={() => setSure(true)}>
            Give it up …
          </Button>
        )}
        {missing && sure && (
          <span className="nowrap">
            It stands in the list as removed then.{' '}
            <Button size="sm" variant="danger" disabled={giveUp.isPending} onClick={() => giveUp.mutate()}>
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

function StrayRow({ stray, storeId, storeName, role }: { stray: Stray; storeId: string; storeName: string; role: string | undefined }) {
  const queries = useQueryClient();
  const adopt = useMutation({
    mutationFn: (device: string) => told(client.POST('/api/strays/{id}/adopt', { params: { path: { id: stray.id } }, body: { device } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ['stores', storeId] }),
  });
  const device = stray.device_id;
  return (
    <tr>
      <td className="nowrap">not in the list</td>
      <td>
        {storeName} holds a backup of {stray.device_words} of <When at={stray.finished_at} />, {grouped(stray.items)} items, <Bytes count={stray.size_bytes} />.
        {!device && <div className="hint">Its device is not in the register. Restore from it on the command line, or register the device first.</div>}
        <Refused problem={adopt.error ? problemOf(adopt.error) : null} />
      </td>
      <td className="num">
        {device && role !== 'auditor' && (
          <Button size="sm" variant="outline-primary" disabled={adopt.isPending} onClick={() => adopt.mutate(device)}>
            Take it into the list
          </Button>
        )}
      </td>
    </tr>
  );
}

/** An older copy of a drive in place of the one that is lost for good: asked twice, because what it lacks is given up with it. */
export function Accept({ store }: { store: Schemas['Store'] }) {
  const queries = useQueryClient();
  const [sure, setSure] = useState(false);
  const accept = useMutation({
    mutationFn: () => told(client.POST('/api/stores/{id}/accept', { params: { path: { id: store.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ['stores'] }),
  });
  return (
    <div className="mt-2">
      <Refused problem={accept.error ? problemOf(accept.error) : null} />
      {!sure && (
        <Button size="sm" variant="outline-danger" onClick={() => setSure(true)}>
          The newer drive is lost: use this one …
        </Button>
      )}
      {sure && (
        <>
          Every backup that it lacks is listed as missing then.{' '}
          <Button size="sm" variant="danger" disabled={accept.isPending} onClick={() => accept.mutate()}>
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
