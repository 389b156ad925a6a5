/** Add a device: one that announces itself on the office network, a folder on the server, or one with an SFTP server. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useSearchParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Problem, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useGuides, useNames } from '../../api/queries';
import { Opened } from '../../ui/Opened';
import { SAVED } from '../../ui/forms/Unsaved';
import { Form } from '../../ui/forms/Form';
import { Choice, Field } from '../../ui/forms/Field';
import { Guide } from '../../ui/Guide';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { ScanCode } from './ScanCode';
import { SftpForm } from './SftpForm';

type Offer = Schemas['Offer'];

export function AddDeviceScreen() {
  const [params, setParams] = useSearchParams();
  const offers = useQuery({ queryKey: key('offers'), queryFn: () => told(client.GET('/api/offers')), refetchInterval: 5_000 });
  const guides = useGuides();
  const registered = params.get('registered') ?? '';
  const chosen = offers.data?.find((offer) => offer.device === params.get('device'));
  const kind = params.get('kind');
  const go = (next: Record<string, string>) => setParams(registered ? { ...next, registered } : next);
  return (
    <>
      <Heading title="Add a device" />
      <p className="sub">
        Choose one that is on the office network now, a folder, or a device with an SFTP server. A whole list goes through{' '}
        <Link to="/devices/import">an import</Link>.
      </p>
      <div className="halves">
        <section>
          <h2>
            A folder, a server, or on the office network <small>looked for every five seconds</small>
          </h2>
          <div className="sheet scroll">
            {offers.isPending && <Loading what="the office network" />}
            {offers.isLoadingError && <Failed problem={problemOf(offers.error)} onRetry={() => void offers.refetch()} />}
            {offers.data?.length === 0 && <Empty>No device that is not in the list yet.</Empty>}
            <table className="rows">
              <tbody>
                <Way
                  title="A folder on the server"
                  detail="mounted, or one that a device synchronises into"
                  on={kind === 'folder'}
                  onChoose={() => go({ kind: 'folder' })}
                />
                <Way title="SFTP" detail="a device that runs a server for it" on={kind === 'sftp'} onChoose={() => go({ kind: 'sftp' })} />
                {offers.data?.map((offer) => (
                  <Way
                    key={offer.device}
                    title={offer.name}
                    detail={`${offer.make} ${offer.os_version} ${offer.serial}`}
                    on={chosen?.device === offer.device}
                    onChoose={() => go({ device: offer.device })}
                  />
                ))}
              </tbody>
            </table>
          </div>
          <div className="mt-3">
            <h2>It is not seen at all?</h2>
            <div className="sheet pad">
              <p className="mb-1">Nearly always it is the cable, the wireless network, a driver, or the sharing setting of the device.</p>
              {guides.data?.map((guide) => (
                <Guide key={guide.code} title={`${guide.label}: where to look`} steps={guide.not_seen} />
              ))}
            </div>
          </div>
        </section>
        <section>
          {chosen && <PairForm key={chosen.device} offer={chosen} registered={registered} />}
          {!chosen && kind === 'folder' && <FolderForm registered={registered} />}
          {!chosen && kind === 'sftp' && <SftpForm registered={registered} />}
          {!chosen && !kind && <Empty>Choose one on the left; then its pairing code is asked for here.</Empty>}
        </section>
      </div>
    </>
  );
}

function Way({ title, detail, on, onChoose }: { title: string; detail: string; on: boolean; onChoose: () => void }) {
  return (
    <tr>
      <td>
        <strong>{title}</strong> <span className="quiet">{detail}</span>
      </td>
      <td className="num">
        <Button size="sm" variant={on ? 'primary' : 'outline-primary'} onClick={onChoose}>
          Choose<span className="visually-hidden"> {title}</span>
        </Button>
      </td>
    </tr>
  );
}

export interface Entry {
  name: string;
  holder: string;
  team: string;
  registered: string | null;
}

/** Either a new entry of the register, or one that has no link yet. */
export function EntryFields({
  entry,
  onEntry,
  serial = '',
}: {
  entry: Entry;
  onEntry: (entry: Entry) => void;
  problem: Problem | null;
  serial?: string;
}) {
  const names = useNames();
  const unlinked = useQuery({ queryKey: key('devices', 'unlinked'), queryFn: () => told(client.GET('/api/devices/unlinked')) });
  const known = unlinked.data ?? [];
  const match = serial && known.find((one) => one.serial.toLowerCase() === serial.toLowerCase());
  const options = [
    { value: '', label: 'a new entry' },
    ...known.map((one) => ({ value: one.id, label: `${one.name}, ${one.holder} ${one.serial}`.trim() })),
  ];
  return (
    <>
      {known.length > 0 && (
        <Choice
          label="In the register it is"
          value={entry.registered ?? ''}
          onChange={(id) => onEntry({ ...entry, registered: id || null })}
          options={options}
        />
      )}
      {match && entry.registered !== match.id && (
        <p className="hint">
          The register has this serial: {match.name}, {match.holder}.{' '}
          <button type="button" className="linklike" onClick={() => onEntry({ ...entry, registered: match.id })}>
            Link it to that entry
          </button>
        </p>
      )}
      {!entry.registered && (
        <>
          <Field label="Name of the device" value={entry.name} onChange={(name) => onEntry({ ...entry, name })} field="name" required />
          <Field
            label="Holder"
            value={entry.holder}
            onChange={(holder) => onEntry({ ...entry, holder })}
            suggestions={names.data?.holders}
            field="holder"
            required
          />
          <Field label="Team" value={entry.team} onChange={(team) => onEntry({ ...entry, team })} suggestions={names.data?.teams} />
        </>
      )}
    </>
  );
}

export function useAdded() {
  const navigate = useNavigate();
  return (added: { id: string }) => void navigate(`/devices/${added.id}`, { state: SAVED });
}

function PairForm({ offer, registered }: { offer: Offer; registered: string }) {
  const onSuccess = useAdded();
  const [model = offer.model, holder = ''] = offer.name.split(', ');
  const [entry, setEntry] = useState<Entry>({ name: `${offer.make} ${model}`, holder, team: '', registered: registered || null });
  const [code, setCode] = useState('');
  const pair = useAct(() => client.POST('/api/devices/pair', { body: { ...entry, agent_id: offer.device, code } }), 'device', onSuccess);
  const problem = pair.problem;
  return (
    <>
      <Opened>Pair {offer.name}</Opened>
      <Form className="sheet pad" onSubmit={() => pair.go()} problem={problem}>
        <ol className="ps-3">
          {offer.first_time.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ol>
        <Field
          label="Pairing code"
          value={code}
          onChange={setCode}
          hint="Eight letters and digits, on the screen of the device. It changes every ten minutes."
          field="code"
          autoComplete="off"
          required
        />
        <ScanCode device={offer.device} onCode={setCode} />
        <EntryFields entry={entry} onEntry={setEntry} problem={problem} serial={offer.serial} />
        <Button type="submit" disabled={pair.busy}>
          {pair.busy ? 'Pairing …' : 'Pair'}
        </Button>
      </Form>
    </>
  );
}

function FolderForm({ registered }: { registered: string }) {
  const onSuccess = useAdded();
  const [entry, setEntry] = useState<Entry>({ name: '', holder: '', team: '', registered: registered || null });
  const [path, setPath] = useState('');
  const add = useAct(() => client.POST('/api/devices/folder', { body: { ...entry, path } }), 'device', onSuccess);
  const problem = add.problem;
  return (
    <>
      <Opened>A folder as a device</Opened>
      <Form className="sheet pad" onSubmit={() => add.go()} problem={problem}>
        <Field
          label="Path on the server"
          value={path}
          onChange={setPath}
          hint="Its files are sorted into kinds by type and path; rules of your own come afterwards, under Link."
          field="path"
          placeholder="/srv/shared/boat"
          required
        />
        <EntryFields entry={entry} onEntry={setEntry} problem={problem} />
        <Button type="submit" disabled={add.busy}>
          Add
        </Button>
      </Form>
    </>
  );
}
