/** How a device is reached: what its link cannot do, rules for its files with a preview, speed, and the end of a pairing. */
import { OwnKey } from '../../parts/OwnKey';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useDevice, useKinds } from '../../api/queries';
import { useSave } from '../../api/save';
import { Form } from '../../ui/forms/Form';
import { Bytes } from '../../ui/Bytes';
import { Confirm } from '../../ui/forms/Confirm';
import { DeviceTabs } from '../../ui/DeviceTabs';
import { counted } from '../../ui/format';
import { NumberField } from '../../ui/forms/NumberField';
import { SPEEDS } from '../../ui/forms/numbers';
import { Check, Choice, Field } from '../../ui/forms/Field';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading, Refused } from '../../ui/States';

type LinkSettings = Schemas['Link'];
type Rule = Schemas['Rule'];

export function LinkScreen() {
  const { id = '' } = useParams();
  const device = useDevice(id);
  const link = useQuery({
    queryKey: key('links', id),
    queryFn: () => told(client.GET('/api/devices/{id}/link', { params: { path: { id } } })),
  });
  const may = useMay();
  if (link.isPending || device.isPending) return <Loading what="the link" />;
  if (link.isLoadingError) return <FailedScreen problem={problemOf(link.error)} onRetry={() => void link.refetch()} />;
  if (device.isLoadingError) return <FailedScreen problem={problemOf(device.error)} />;
  const details = link.data;
  const mayChange = may('set_up');
  return (
    <>
      <Heading title={`Link of ${device.data.name}, ${device.data.holder}`}>
        {device.data.name} <span className="quiet fw-normal">{device.data.holder}</span>
      </Heading>
      <DeviceTabs id={id} inside={may('look_inside')} />
      <div className="cols">
        <Settings key={JSON.stringify(details)} id={id} first={details} mayChange={mayChange} />
        <aside className="stack">
          <section>
            <h2>{details.label}</h2>
            <div className="sheet pad">
              <dl className="facts">
                {details.agent_id && (
                  <>
                    <dt>Agent</dt>
                    <dd>{details.agent_id}</dd>
                    <dt>Last address</dt>
                    <dd>{details.address}</dd>
                  </>
                )}
                {details.folder && (
                  <>
                    <dt>Folder</dt>
                    <dd>{details.folder}</dd>
                  </>
                )}
                {details.sftp && (
                  <>
                    <dt>SFTP</dt>
                    <dd>
                      {details.sftp.host}:{details.sftp.port}
                      {details.sftp.folder}
                    </dd>
                    <dt>Pinned key</dt>
                    <dd>
                      <code>{details.fingerprint}</code>
                    </dd>
                  </>
                )}
              </dl>
              {details.limits.length > 0 && (
                <>
                  <h3 className="mt-2">What this link cannot do</h3>
                  <ul className="mb-0 ps-3">
                    {details.limits.map((limit) => (
                      <li key={limit}>{limit}</li>
                    ))}
                  </ul>
                </>
              )}
            </div>
          </section>
          {details.link === 'agent' && mayChange && <Unpair id={id} name={device.data.name} paired={details.paired} />}
          {details.link === 'sftp' && mayChange && <NewKey id={id} link={details} />}
        </aside>
      </div>
    </>
  );
}

/** What the form shows, as the server says it. */
const begun = (link: LinkSettings) => ({
  rules: link.rules,
  limit_bytes_per_second: link.limit_bytes_per_second,
  folder: link.folder,
  sftp: link.sftp,
});

type Sftp = NonNullable<LinkSettings['sftp']> & { password: string };

function Settings({ id, first, mayChange }: { id: string; first: LinkSettings; mayChange: boolean }) {
  const [rules, setRules] = useState<Rule[]>(first.rules);
  const [limit, setLimit] = useState(first.limit_bytes_per_second);
  const [folder, setFolder] = useState(first.folder);
  const [sftp, setSftp] = useState(first.sftp ? { ...first.sftp, password: '' } : null);
  const files = first.link === 'folder' || first.link === 'sftp';
  const body = { rules, limit_bytes_per_second: limit, folder, sftp };
  const save = useSave(
    (given: typeof body) => client.PUT('/api/devices/{id}/link', { params: { path: { id } }, body: given }),
    () => begun(first),
    'device',
    { again: begun },
  );
  const preview = useAct(() => client.POST('/api/devices/{id}/link/preview', { params: { path: { id } }, body: { rules } }), []);
  const problem = save.problem ?? preview.problem;
  const [stored] = useState(() => JSON.stringify(body));
  return (
    <Form unsaved={JSON.stringify(body) !== stored} onSubmit={() => save.go(body)} problem={problem} onOver={save.over}>
      <h2>Settings</h2>
      <fieldset className="sheet pad" disabled={!mayChange}>
        <NumberField
          label="Speed limit"
          value={limit}
          onChange={setLimit}
          units={SPEEDS}
          least={1024}
          optional
          hint="For this device alone; empty for none. The limit for all together is under Office."
          field="limit_bytes_per_second"
        />
        {first.link === 'folder' && <Field label="Folder on the server" value={folder} onChange={setFolder} field="path" />}
        {sftp && <Place sftp={sftp} put={(changes) => setSftp({ ...sftp, ...changes })} />}
        {files && <Rules rules={rules} onRules={setRules} />}
        <div className="row-end">
          <Button type="submit" disabled={save.busy}>
            {save.busy ? 'Saving …' : 'Save'}
          </Button>
          {files && (
            <Button variant="outline-primary" disabled={preview.busy} onClick={() => preview.go()}>
              {preview.busy ? 'Looking …' : 'Show what these rules would do'}
            </Button>
          )}
          {save.done && (
            <span role="status" className="quiet">
              Saved.
            </span>
          )}
        </div>
      </fieldset>
      {preview.told && <Preview sorted={preview.told} />}
    </Form>
  );
}

/** Where and as whom it is signed in to. */
function Place({ sftp, put }: { sftp: Sftp; put: (changes: Partial<Sftp>) => void }) {
  return (
    <div className="halves">
      <Field label="Host" value={sftp.host} onChange={(host) => put({ host })} field="host" />
      <NumberField label="Port" value={sftp.port} onChange={(port) => put({ port: port ?? 22 })} least={1} most={65535} field="port" />
      <Field label="User name on the device" value={sftp.username} onChange={(username) => put({ username })} autoComplete="off" />
      <Check checked={sftp.use_key} onChange={(use_key) => put({ use_key })}>
        signed in to with this server&apos;s own key
      </Check>
      {sftp.use_key ? (
        <OwnKey of="the device" />
      ) : (
        <Field
          label="Password on the device"
          type="password"
          value={sftp.password}
          onChange={(password) => put({ password })}
          hint="Empty keeps the one that is known."
          autoComplete="off"
          field="password"
        />
      )}
      <Field label="Folder on the device" value={sftp.folder} onChange={(folder) => put({ folder })} field="folder" />
    </div>
  );
}

function Rules({ rules, onRules }: { rules: Rule[]; onRules: (rules: Rule[]) => void }) {
  const kinds = useKinds();
  const options = [{ value: '', label: 'left out' }, ...(kinds.data ?? []).map((kind) => ({ value: kind.code, label: kind.label }))];
  const set = (at: number, change: Partial<Rule>) => onRules(rules.map((rule, n) => (n === at ? { ...rule, ...change } : rule)));
  return (
    <fieldset className="field">
      <legend className="form-label fw-bold fs-6 mb-1">Which files are what</legend>
      <p className="hint">
        The first rule that fits wins; the rest is sorted by folder and type. <code>DCIM/**</code> is everything below DCIM,{' '}
        <code>*.gpx</code> every such file.
      </p>
      {rules.map((rule, at) => (
        <div key={at} className="rule">
          <Field compact required label={`Pattern of rule ${at + 1}`} value={rule.pattern} onChange={(pattern) => set(at, { pattern })} />
          <Choice compact label={`Kind of rule ${at + 1}`} value={rule.kind} onChange={(kind) => set(at, { kind })} options={options} />
          <Button
            size="sm"
            variant="outline-primary"
            disabled={at === 0}
            aria-label={`Move rule ${at + 1} up`}
            onClick={() => onRules(moved(rules, at))}
          >
            ↑
          </Button>
          <Button
            size="sm"
            variant="outline-danger"
            aria-label={`Remove rule ${at + 1}`}
            onClick={() => onRules(rules.filter((_, n) => n !== at))}
          >
            Remove
          </Button>
        </div>
      ))}
      <Button size="sm" variant="outline-primary" onClick={() => onRules([...rules, { pattern: '', kind: 'documents' }])}>
        Add a rule
      </Button>
    </fieldset>
  );
}

const moved = (rules: Rule[], at: number): Rule[] => {
  const next = [...rules];
  const [rule] = next.splice(at, 1);
  if (rule) next.splice(at - 1, 0, rule);
  return next;
};

function Preview({ sorted }: { sorted: Schemas['Sorted'][] }) {
  return (
    <section className="mt-3" aria-live="polite">
      <h2>
        What these rules would do <small>with the files that are there now; nothing is saved yet</small>
      </h2>
      <div className="sheet scroll">
        <table className="rows">
          <thead>
            <tr>
              <th scope="col">Rule</th>
              <th scope="col">Kind</th>
              <th scope="col" className="num">
                Files
              </th>
              <th scope="col" className="num">
                Size
              </th>
              <th scope="col">For example</th>
            </tr>
          </thead>
          <tbody>
            {sorted.map((entry) => (
              <tr key={entry.pattern + entry.kind}>
                <td>{entry.pattern ? <code>{entry.pattern}</code> : <span className="quiet">no rule</span>}</td>
                <td>{entry.label}</td>
                <td className="num">{entry.files}</td>
                <td className="num">
                  <Bytes count={entry.size_bytes} />
                </td>
                <td className="quiet">{entry.examples.join(', ') || 'nothing fits'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="quiet mt-1">
        {counted(
          sorted.reduce((sum, entry) => sum + entry.files, 0),
          'file',
        )}{' '}
        in all.
      </p>
    </section>
  );
}

function Unpair({ id, name, paired }: { id: string; name: string; paired: boolean }) {
  const [asking, setAsking] = useState(false);
  const unpair = useAct(() => client.POST('/api/devices/{id}/unpair', { params: { path: { id } } }), 'device');
  return (
    <section>
      <h2>Pairing</h2>
      <div className="sheet pad">
        <Refused problem={unpair.problem} />
        {unpair.told && (
          <p className="said" role="status">
            The key is gone here.{' '}
            {unpair.told.told_device
              ? 'The device has forgotten this server, too.'
              : 'The device could not be told; it is believed nothing any more all the same.'}
          </p>
        )}
        <p>{paired ? 'Paired: both sides hold keys of their own.' : 'Not paired: pair it again on its page, under “Is it ready?”.'}</p>
        {paired && (
          <Button size="sm" variant="outline-danger" onClick={() => setAsking(true)}>
            Unpair
          </Button>
        )}
      </div>
      {asking && (
        <Confirm
          title={`Unpair ${name}?`}
          action="Unpair"
          onCancel={() => setAsking(false)}
          onConfirm={() => {
            setAsking(false);
            unpair.go();
          }}
        >
          <p>
            Its key is forgotten at once: no run and no restore reaches it until it is paired again. Its backups stay. A device that is lost
            is unpaired by itself when its state is set to lost.
          </p>
        </Confirm>
      )}
    </section>
  );
}

function NewKey({ id, link }: { id: string; link: LinkSettings }) {
  const place = link.sftp;
  const meet = useAct(() => client.POST('/api/devices/sftp/meet', { body: { host: place?.host ?? '', port: place?.port ?? 22 } }), []);
  const accept = useAct(
    () =>
      client.PUT('/api/devices/{id}/link', {
        params: { path: { id } },
        body: {
          rules: link.rules,
          limit_bytes_per_second: link.limit_bytes_per_second,
          folder: '',
          sftp: place ? { ...place, password: '', host_key: meet.told?.host_key ?? '' } : null,
          read: begun(link),
        },
      }),
    'device',
  );
  const error = meet.problem ?? accept.problem;
  const other = meet.told && meet.told.fingerprint !== link.fingerprint ? meet.told : null;
  return (
    <section>
      <h2>Its key</h2>
      <div className="sheet pad" aria-live="polite">
        <Refused problem={error} />
        <p>After a reset a device has another key. Compare it on its own screen before you accept it.</p>
        <Button size="sm" variant="outline-primary" disabled={meet.busy} onClick={() => meet.go()}>
          Look which key answers now
        </Button>
        {meet.told && !other && <p className="mt-2 mb-0">The pinned key answers.</p>}
        {other && (
          <div className="said bad mt-2">
            Another key answers: <code>{other.fingerprint}</code>
            <div className="mt-1">
              <Button size="sm" variant="outline-danger" disabled={accept.busy} onClick={() => accept.go()}>
                The device shows this key: accept it
              </Button>
            </div>
          </div>
        )}
      </div>
    </section>
  );
}
