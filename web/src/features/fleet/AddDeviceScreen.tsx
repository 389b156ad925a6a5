/** Add a device: one that announces itself on the office network, or a folder on the server. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useNavigate, useSearchParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useNames } from '../../api/queries';
import { Field } from '../../ui/Field';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

type Offer = Schemas['Offer'];

export function AddDeviceScreen() {
  const [params, setParams] = useSearchParams();
  const offers = useQuery({ queryKey: ['offers'], queryFn: () => told(client.GET('/api/offers')), refetchInterval: 5_000 });
  const chosen = offers.data?.find((offer) => offer.device === params.get('device'));
  const folder = params.has('folder');
  return (
    <>
      <h1 tabIndex={-1}>Add a device</h1>
      <p className="sub">Choose one that is on the office network now, or a folder into which a device puts its files.</p>
      <div className="halves">
        <section>
          <h2>
            On the office network <small>looked for every five seconds</small>
          </h2>
          <div className="sheet scroll">
            {offers.isPending && <Loading what="the office network" />}
            {offers.isError && <Failed problem={problemOf(offers.error)} onRetry={() => void offers.refetch()} />}
            {offers.data?.length === 0 && (
              <Empty>No device that is not in the list yet. Nearly always it is the cable, the wireless network, or the sharing setting of the device.</Empty>
            )}
            <table className="rows">
              <tbody>
                {offers.data?.map((offer) => (
                  <tr key={offer.device}>
                    <td>
                      <strong>{offer.name}</strong> <span className="quiet">{offer.make} {offer.os_version}</span>
                    </td>
                    <td className="num">
                      <Button
                        size="sm"
                        variant={chosen?.device === offer.device ? 'primary' : 'outline-primary'}
                        onClick={() => setParams({ device: offer.device })}
                      >
                        Choose<span className="visually-hidden"> {offer.name}</span>
                      </Button>
                    </td>
                  </tr>
                ))}
                <tr>
                  <td>
                    <strong>A folder on the server</strong> <span className="quiet">mounted, or one that a device synchronises into</span>
                  </td>
                  <td className="num">
                    <Button size="sm" variant={folder ? 'primary' : 'outline-primary'} onClick={() => setParams({ folder: '1' })}>
                      Choose<span className="visually-hidden"> a folder</span>
                    </Button>
                  </td>
                </tr>
              </tbody>
            </table>
          </div>
        </section>
        <section>
          {chosen && <PairForm key={chosen.device} offer={chosen} />}
          {!chosen && folder && <FolderForm />}
          {!chosen && !folder && <Empty>Choose one on the left; then its pairing code is asked for here.</Empty>}
        </section>
      </div>
    </>
  );
}

function useAdded() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  return async (added: { id: string }) => {
    await queries.invalidateQueries();
    void navigate(`/devices/${added.id}`);
  };
}

function PairForm({ offer }: { offer: Offer }) {
  const names = useNames();
  const onSuccess = useAdded();
  const [model = offer.model, holder = ''] = offer.name.split(', ');
  const [body, setBody] = useState({ agent_id: offer.device, code: '', name: `${offer.make} ${model}`, holder, team: '' });
  const set = (name: keyof typeof body) => (value: string) => setBody({ ...body, [name]: value });
  const pair = useMutation({ mutationFn: () => told(client.POST('/api/devices/pair', { body })), onSuccess });
  const problem = pair.error ? problemOf(pair.error) : null;
  return (
    <>
      <h2>Pair {offer.name}</h2>
      <form
        className="sheet pad"
        onSubmit={(event) => {
          event.preventDefault();
          pair.mutate();
        }}
      >
        <Refused problem={problem} />
        <ol className="ps-3">
          {offer.first_time.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ol>
        <Field
          label="Pairing code"
          value={body.code}
          onChange={set('code')}
          hint="Eight letters and digits, on the screen of the device."
          problem={problem}
          field="code"
          autoComplete="off"
          required
        />
        <Field label="Name of the device" value={body.name} onChange={set('name')} problem={problem} field="name" />
        <Field label="Holder" value={body.holder} onChange={set('holder')} suggestions={names.data?.holders} problem={problem} field="holder" />
        <Field label="Team" value={body.team} onChange={set('team')} suggestions={names.data?.teams} />
        <Button type="submit" disabled={pair.isPending}>
          {pair.isPending ? 'Pairing …' : 'Pair'}
        </Button>
      </form>
    </>
  );
}

function FolderForm() {
  const names = useNames();
  const onSuccess = useAdded();
  const [body, setBody] = useState({ path: '', name: '', holder: '', team: '' });
  const set = (name: keyof typeof body) => (value: string) => setBody({ ...body, [name]: value });
  const add = useMutation({ mutationFn: () => told(client.POST('/api/devices/folder', { body })), onSuccess });
  const problem = add.error ? problemOf(add.error) : null;
  return (
    <>
      <h2>A folder as a device</h2>
      <form
        className="sheet pad"
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate();
        }}
      >
        <Refused problem={problem} />
        <Field
          label="Path on the server"
          value={body.path}
          onChange={set('path')}
          hint="Its files are sorted into kinds by type and path: photos, videos, music, documents …"
          problem={problem}
          field="path"
          placeholder="/srv/shared/boat"
          required
        />
        <Field label="Name of the device" value={body.name} onChange={set('name')} problem={problem} field="name" required />
        <Field label="Holder" value={body.holder} onChange={set('holder')} suggestions={names.data?.holders} problem={problem} field="holder" required />
        <Field label="Team" value={body.team} onChange={set('team')} suggestions={names.data?.teams} />
        <Button type="submit" disabled={add.isPending}>
          Add
        </Button>
      </form>
    </>
  );
}
