/** Devices that a store holds backups of and the list does not know: each proposed to a known device, taken in by a person, and undone. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { counted } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { When } from '../../ui/Office';
import { Failed, Refused } from '../../ui/States';
import { evidenceWords } from './words';

type Store = Pick<Schemas['Store'], 'id' | 'name'>;
type FoundDevice = Schemas['FoundDevice'];

export function Found({ store }: { store: Store }) {
  const answer = useQuery({
    queryKey: key('stores', store.id, 'found'),
    queryFn: () => told(client.GET('/api/stores/{id}/found', { params: { path: { id: store.id } } })),
  });
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  if (!answer.data || answer.data.found.length + answer.data.taken_in.length === 0) return null;
  return (
    <section className="mb-3" aria-label="Found here">
      <h2>
        Found here <small>backups that {store.name} holds and the list does not know; nothing is done until you say whose they are</small>
      </h2>
      <div className="sheet">
        {answer.data.found.map((one) => (
          // the best proposal is chosen anew when another one comes, for a device that has just been taken over
          <FoundRow key={`${one.key} ${one.proposed[0]?.device_id ?? ''}`} found={one} store={store} />
        ))}
        {answer.data.taken_in.map((one) => (
          <TakenRow key={one.device_id} taken={one} store={store} />
        ))}
      </div>
    </section>
  );
}

function FoundRow({ found, store }: { found: FoundDevice; store: Store }) {
  const may = useMay();
  const [device, setDevice] = useState(found.proposed[0]?.device_id ?? '');
  const take = useAct(
    () => client.POST('/api/stores/{id}/found', { params: { path: { id: store.id } }, body: { key: found.key, device: device || null } }),
    ['store', 'device', 'backup'],
  );
  const chosen = found.proposed.find((one) => one.device_id === device);
  return (
    <div className="head pad mb-0 found-row">
      <div>
        <strong>{found.name || 'A device without a name'}</strong> <span className="quiet">{found.holder}</span>
        {found.serial && <span className="quiet"> · {found.serial}</span>}
        <div>
          {counted(found.backups, 'backup')}, from <When at={found.first} /> to <When at={found.last} />
        </div>
        <Refused problem={take.problem} />
      </div>
      {may('set_up') && (
        <div>
          <Choice
            label="They are those of"
            value={device}
            onChange={setDevice}
            options={[
              ...found.proposed.map((one) => ({ value: one.device_id, label: `${one.device_name}, ${one.holder}` })),
              { value: '', label: 'a new entry in the register' },
            ]}
            hint={chosen ? `Proposed for: ${evidenceWords(chosen)}.` : 'It comes into the register without a link.'}
          />
          <Button size="sm" disabled={take.busy} onClick={() => take.go()}>
            Take them in, on hold
          </Button>
        </div>
      )}
    </div>
  );
}

function TakenRow({ taken, store }: { taken: Schemas['TakenIn']; store: Store }) {
  const may = useMay();
  const back = useAct(
    () => client.POST('/api/stores/{id}/give-back', { params: { path: { id: store.id } }, body: { device: taken.device_id } }),
    ['store', 'device', 'backup'],
  );
  return (
    <div className="head pad mb-0 found-row">
      <div>
        {counted(taken.backups, 'backup')} taken in as those of{' '}
        <Link to={`/devices/${taken.device_id}`}>
          {taken.device_name}, {taken.holder}
        </Link>
        . They are on hold until somebody releases them.
        <Refused problem={back.problem} />
      </div>
      {may('set_up') && (
        <Button size="sm" variant="outline-secondary" disabled={back.busy} onClick={() => back.go()}>
          Undo
        </Button>
      )}
    </div>
  );
}
