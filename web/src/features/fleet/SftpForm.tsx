/** A device with an SFTP server: connect, compare its key with the one that it shows, then sign in. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { useGuides } from '../../api/queries';
import { OwnKey } from '../../parts/OwnKey';
import { Opened } from '../../ui/Opened';
import { Form } from '../../ui/forms/Form';
import { Choice, Field } from '../../ui/forms/Field';
import { EntryFields, useAdded, type Entry } from './AddDeviceScreen';

export function SftpForm({ registered }: { registered: string }) {
  const onSuccess = useAdded();
  const guides = useGuides();
  const [entry, setEntry] = useState<Entry>({ name: '', holder: '', team: '', registered: registered || null });
  const [place, setPlace] = useState({ host: '', port: '22', username: '', password: '', folder: '/', family: 'other' });
  const [useKey, setUseKey] = useState(false);
  const set = (name: keyof typeof place) => (value: string) => setPlace({ ...place, [name]: value });
  const where = { host: place.host.trim(), port: Number(place.port) };
  const meet = useAct(() => client.POST('/api/devices/sftp/meet', { body: where }), []);
  const add = useAct(
    () =>
      client.POST('/api/devices/sftp', {
        body: {
          ...entry,
          ...place,
          ...where,
          password: useKey ? '' : place.password,
          use_key: useKey,
          host_key: meet.told?.host_key ?? '',
        },
      }),
    'device',
    onSuccess,
  );
  const problem = meet.problem ?? add.problem;
  const met = meet.told;
  return (
    <>
      <Opened>A device with an SFTP server</Opened>
      <Form
        className="sheet pad"
        onSubmit={() => {
          if (met) add.go();
          else meet.go();
        }}
        problem={problem}
      >
        <div className="wide-narrow">
          <Field
            label="Host"
            value={place.host}
            onChange={(host) => {
              set('host')(host);
              meet.clear();
            }}
            field="host"
            placeholder="192.0.2.17"
            required
          />
          <Field
            label="Port"
            value={place.port}
            onChange={(port) => {
              set('port')(port);
              meet.clear();
            }}
            inputMode="numeric"
            field="port"
            required
          />
        </div>
        {!met && (
          <Button type="submit" disabled={meet.busy || !place.host}>
            {meet.busy ? 'Connecting …' : 'Connect'}
          </Button>
        )}
        {met && (
          <>
            <p className="said">
              This key answers there: <code>{met.fingerprint}</code>
              <br />
              Compare it with the one on the screen of the device. From now on every other key is refused.
            </p>
            <Field
              label="User name on the device"
              value={place.username}
              onChange={set('username')}
              autoComplete="off"
              field="username"
              required
            />
            <fieldset className="mb-2">
              <legend className="form-label">Signed in to with</legend>
              <label className="check">
                <input type="radio" name="with" checked={!useKey} onChange={() => setUseKey(false)} /> <span>a password</span>
              </label>
              <label className="check">
                <input type="radio" name="with" checked={useKey} onChange={() => setUseKey(true)} /> <span>this server&apos;s own key</span>
              </label>
            </fieldset>
            {useKey ? (
              <OwnKey of="the device" />
            ) : (
              <Field
                label="Password on the device"
                type="password"
                value={place.password}
                onChange={set('password')}
                autoComplete="off"
                field="password"
                required
              />
            )}
            <Field label="Folder on the device" value={place.folder} onChange={set('folder')} field="folder" required />
            <Choice
              label="Family"
              value={place.family}
              onChange={set('family')}
              options={(guides.data ?? []).map((guide) => ({ value: guide.code, label: guide.label }))}
            />
            <EntryFields entry={entry} onEntry={setEntry} problem={problem} />
            <Button type="submit" disabled={add.busy}>
              {add.busy ? 'Signing in …' : 'The key is right: add it'}
            </Button>
          </>
        )}
      </Form>
    </>
  );
}
