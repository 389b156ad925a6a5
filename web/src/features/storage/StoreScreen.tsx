/** One store: totals, whose bytes they are, its check, its passphrase. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe } from '../../api/queries';
import { Bytes } from '../../ui/Bytes';
import { Field } from '../../ui/Field';
import { Gauge } from '../../ui/Gauge';
import { When } from '../../ui/Office';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { Accept, Differences } from './Differences';
import { gibToBytes } from './words';

type Store = Schemas['StoreDetail'];

export function StoreScreen() {
  const { id = '' } = useParams();
  const store = useQuery({ queryKey: ['stores', id], queryFn: () => told(client.GET('/api/stores/{id}', { params: { path: { id } } })) });
  const me = useMe();
  if (store.isPending) return <Loading what="the store" />;
  if (store.isError) return <Failed problem={problemOf(store.error)} onRetry={() => void store.refetch()} />;
  const found = store.data;
  const role = me.data?.user?.role;
  return (
    <>
      <h1 tabIndex={-1}>{found.name}</h1>
      <p className="sub">{found.path}</p>
      {found.trouble && (
        <div className="said bad">
          <strong>{found.trouble}</strong> {found.trouble_remedy} Nothing is stored there until this is resolved.
          {found.trouble_code === 'store.older_copy' && role === 'administrator' && <Accept store={found} />}
        </div>
      )}
      <Differences storeId={found.id} storeName={found.name} role={role} />
      <div className="cols">
        <section>
          <h2>
            Whose bytes <small>shared ones are divided among those that need them</small>
          </h2>
          <div className="sheet scroll">
            {found.occupancies.length === 0 && <Empty>No device has a backup here yet.</Empty>}
            {found.occupancies.length > 0 && <Occupancies store={found} />}
          </div>
        </section>
        <aside className="stack">
          <section>
            <h2>Room</h2>
            <div className="sheet pad">
              <Gauge used={found.stored_bytes} waiting={found.waiting_bytes} limit={found.allowance_bytes} label={found.name} />
              <dl className="facts">
                <dt>Stored</dt>
                <dd>
                  <Bytes count={found.stored_bytes} />
                </dd>
                <dt>Allowance</dt>
                <dd>{found.allowance_bytes ? <Bytes count={found.allowance_bytes} /> : 'none set'}</dd>
                <dt>Free on its medium</dt>
                <dd>
                  <Bytes count={found.free_bytes} />
                </dd>
                <dt>About to be freed</dt>
                <dd>
                  <Bytes count={found.waiting_bytes} />
                </dd>
                <dt>Measured</dt>
                <dd>{found.measured_at ? <When at={found.measured_at} /> : '–'}</dd>
              </dl>
            </div>
          </section>
          {role !== 'auditor' && <Check store={found} />}
          {role === 'administrator' && <Passphrase store={found} />}
          {role === 'administrator' && <Change key={`${found.name} ${found.path} ${found.allowance_bytes ?? ''}`} store={found} />}
        </aside>
      </div>
    </>
  );
}

function Occupancies({ store }: { store: Store }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th scope="col">Device</th>
          <th scope="col">Team</th>
          <th scope="col" className="num">
            Backups
          </th>
          <th scope="col" className="num">
            Its part
          </th>
          <th scope="col" className="num">
            Only it needs
          </th>
          <th scope="col" className="num">
            Shared
          </th>
        </tr>
      </thead>
      <tbody>
        {store.occupancies.map((row) => (
          <tr key={row.device_id}>
            <td>
              <Link className="title-link" to={`/devices/${row.device_id}`}>
                {row.device_name}
              </Link>{' '}
              <span className="quiet">{row.holder}</span>
            </td>
            <td>{row.team}</td>
            <td className="num">{row.backups}</td>
            <td className="num">
              <Bytes count={row.fair_bytes} />
            </td>
            <td className="num">
              <Bytes count={row.alone_bytes} />
            </td>
            <td className="num">
              <Bytes count={row.shared_bytes} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Check({ store }: { store: Store }) {
  const check = useMutation({
    mutationFn: () => told(client.POST('/api/stores/{id}/check', { params: { path: { id: store.id } }, body: { percent: 100 } })),
  });
  return (
    <section>
      <h2>Check</h2>
      <div className="sheet pad" aria-live="polite">
        <p>
          {store.checked_at ? (
            <>
              <When at={store.checked_at} />: {store.check_says}
            </>
          ) : (
            'Its bytes have never been read again to prove that they are intact.'
          )}
        </p>
        <Refused problem={check.error ? problemOf(check.error) : null} />
        <Button size="sm" variant="outline-primary" onClick={() => check.mutate()} disabled={check.isPending}>
          Read and prove everything
        </Button>
        {check.isSuccess && <span className="quiet ms-2">It is in the queue; the result appears here.</span>}
      </div>
    </section>
  );
}

function Passphrase({ store }: { store: Store }) {
  const queries = useQueryClient();
  const [passphrase, setPassphrase] = useState('');
  const prove = useMutation({
    mutationFn: () => told(client.POST('/api/stores/{id}/prove-passphrase', { params: { path: { id: store.id } }, body: { passphrase } })),
    onSuccess: () => {
      setPassphrase('');
      return queries.invalidateQueries({ queryKey: ['stores'] });
    },
  });
  const problem = prove.error ? problemOf(prove.error) : null;
  return (
    <section>
      <h2>Passphrase</h2>
      <form
        className="sheet pad"
        onSubmit={(event) => {
          event.preventDefault();
          prove.mutate();
        }}
      >
        <p>
          {store.passphrase_proven_at && (
            <>
              Last typed and found right: <When at={store.passphrase_proven_at} withAge />.
            </>
          )}{' '}
          Without it, or the recovery code, nobody can open this store once this server is gone.
        </p>
        <Refused problem={problem} />
        <Field label="Prove that you still know it" type="password" value={passphrase} onChange={setPassphrase} autoComplete="off" problem={problem} field="passphrase" />
        <Button type="submit" size="sm" variant="outline-primary" disabled={prove.isPending || !passphrase}>
          Prove
        </Button>
      </form>
    </section>
  );
}

function Change({ store }: { store: Store }) {
  const queries = useQueryClient();
  const [name, setName] = useState(store.name);
  const [path, setPath] = useState(store.path);
  const [offSite, setOffSite] = useState(store.off_site);
  const [writers, setWriters] = useState(String(store.max_writers));
  const [gib, setGib] = useState(store.allowance_bytes ? String(store.allowance_bytes / 1024 ** 3) : '');
  const save = useMutation({
    mutationFn: () => told(client.PUT('/api/stores/{id}', { params: { path: { id: store.id } }, body: { name, allowance_bytes: gibToBytes(gib), off_site: offSite, max_writers: Number(writers) || null, path } })),
    onSuccess: () => queries.invalidateQueries(),
  });
  const problem = save.error ? problemOf(save.error) : null;
  return (
    <section>
      <h2>Change</h2>
      <form
        className="sheet pad"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        <Refused problem={problem} />
        <Field label="Name" value={name} onChange={setName} problem={problem} field="name" />
        <Field label="Folder on the server" value={path} onChange={setPath} problem={problem} field="path" hint="Where the drive is mounted now. The store is known by what lies in it, not by this path." />
        <label className="check mb-2">
          <input type="checkbox" checked={offSite} onChange={(event) => setOffSite(event.target.checked)} />
          <span>It lies outside of the office</span>
        </label>
        <Field label="Allowance in GiB" value={gib} onChange={setGib} inputMode="decimal" hint="Empty for no limit." problem={problem} field="allowance_bytes" />
        <Field label="Runs that write into it at a time" type="number" min={1} max={32} value={writers} onChange={setWriters} problem={problem} field="max_writers" hint="A slow drive takes one or two." />
        <Button type="submit" size="sm" variant="outline-primary" disabled={save.isPending}>
          Save
        </Button>
      </form>
    </section>
  );
}
