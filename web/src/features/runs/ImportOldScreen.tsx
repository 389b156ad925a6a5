/** Bring in what was backed up before: look into it first, then take it as a backup of a device at its true date. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useSearchParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useDeviceChoice, useStores } from '../../api/queries';
import { MomentField } from '../../ui/forms/DateField';
import { Form } from '../../ui/forms/Form';
import { Bytes } from '../../ui/Bytes';
import { counted, grouped, iec, wallClock } from '../../ui/format';
import { Choice, Field } from '../../ui/forms/Field';
import { Age, useZone, When } from '../../ui/Office';
import { Picker } from '../../ui/Picker';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

type Import = Schemas['Import'];
const STATES: Record<Import['state'], string> = {
  scanning: 'looking inside …',
  ready: 'ready to be taken',
  waiting: 'waiting for its turn',
  importing: 'being taken …',
  done: 'taken',
  failed: 'failed',
};

export function ImportOldScreen() {
  const [params, setParams] = useSearchParams();
  const chosen = params.get('one') ?? '';
  const list = useQuery({ queryKey: key('imports'), queryFn: () => told(client.GET('/api/imports')) });
  return (
    <>
      <Heading title="Bring in old backups" />
      <p className="sub">
        A folder, a ZIP or tar archive, a .vcf, .ics or .mbox file. It is looked into first; nothing is taken until you say so, and what
        lies there stays as it is.
      </p>
      <div className="halves">
        <div className="stack">
          <Begin onBegun={(id) => setParams({ one: id })} />
          <section>
            <h2>Looked into before</h2>
            <div className="sheet scroll">
              {list.isPending && <Loading what="the list" />}
              {list.isLoadingError && <Failed problem={problemOf(list.error)} />}
              {list.data?.count === 0 && <Empty>Nothing yet.</Empty>}
              <table className="rows">
                <tbody>
                  {list.data?.results.map((one) => (
                    <tr key={one.id} className={one.id === chosen ? 'linked chosen' : 'linked'}>
                      <td>
                        <button type="button" className="linklike" onClick={() => setParams({ one: one.id })}>
                          {one.name}
                        </button>
                      </td>
                      <td>
                        {STATES[one.state]}
                        {one.device_name && ` as ${one.device_name}`}
                      </td>
                      <td className="nowrap quiet">
                        <Age at={one.at} />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </section>
        </div>
        <section aria-live="polite">
          {chosen ? (
            <One key={chosen} id={chosen} onGone={() => setParams({})} />
          ) : (
            <Empty>Choose something on the left; what is in it appears here.</Empty>
          )}
        </section>
      </div>
    </>
  );
}

/** A file as a browser sends it: in pieces, and not as JSON. */
function formWith(file: File): FormData {
  const form = new FormData();
  form.append('file', file);
  return form;
}

function Begin({ onBegun }: { onBegun: (id: string) => void }) {
  const [path, setPath] = useState('');
  const begun = (found: { id: string }) => onBegun(found.id);
  const byPath = useAct(() => client.POST('/api/imports', { body: { path } }), 'imports', begun);
  const byFile = useAct(
    (file: File) => client.POST('/api/imports', { body: { path: '' }, bodySerializer: () => formWith(file) }),
    'imports',
    begun,
  );
  const problem = byPath.problem ?? byFile.problem;
  return (
    <Form className="sheet pad" onSubmit={() => byPath.go()} problem={problem}>
      <Field label="Path on the server" value={path} onChange={setPath} field="path" placeholder="/srv/old/phone of last year.zip" />
      <div className="row-end">
        <Button type="submit" disabled={!path || byPath.busy}>
          Look into it
        </Button>
        <span className="quiet">or a file of this computer:</span>
        <input
          type="file"
          aria-label="File to bring in"
          disabled={byFile.busy}
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) byFile.go(file);
          }}
        />
        {byFile.busy && <span role="status">Sending …</span>}
      </div>
    </Form>
  );
}

function One({ id, onGone }: { id: string; onGone: () => void }) {
  const one = useQuery({
    queryKey: key('import', id),
    queryFn: () => told(client.GET('/api/imports/{id}', { params: { path: { id } } })),
    refetchInterval: (query) => (['scanning', 'waiting', 'importing'].includes(query.state.data?.state ?? '') ? 1_500 : false),
  });
  const drop = useAct(() => client.DELETE('/api/imports/{id}', { params: { path: { id } } }), 'imports', onGone);
  if (one.isPending) return <Loading what="what is in it" />;
  if (one.isLoadingError) return <Failed problem={problemOf(one.error)} />;
  const found = one.data;
  const kinds = found.found.kinds ?? [];
  const aside = found.found.left_aside ?? [];
  const progress = found.progress;
  return (
    <>
      <h2>
        {found.name} <small>{STATES[found.state]}</small>
      </h2>
      {found.state === 'failed' && <Failed problem={{ title: found.cause, remedy: found.remedy, field: null }} />}
      {found.state === 'importing' && progress.to_read_bytes !== undefined && (
        <div className="sheet pad mb-2">
          <div
            className="bar-track"
            role="progressbar"
            aria-label="Taken"
            aria-valuemin={0}
            aria-valuemax={100}
            aria-valuenow={Math.round(((progress.read_bytes ?? 0) * 100) / Math.max(1, progress.to_read_bytes))}
          >
            <i style={{ width: `${((progress.read_bytes ?? 0) * 100) / Math.max(1, progress.to_read_bytes)}%` }} />
          </div>
          {iec(progress.read_bytes ?? 0)} of {iec(progress.to_read_bytes)}
        </div>
      )}
      {found.state === 'done' && found.backup_id && (
        <p className="said">
          It is a backup of {found.device_name} of {found.moment && <When at={found.moment} />} now, on hold until somebody releases it.{' '}
          <Link to={`/backups/${found.backup_id}`}>Look inside</Link>
        </p>
      )}
      <div className="sheet scroll">
        {found.state === 'ready' && kinds.length === 0 && <Empty>There is nothing in it that could be brought in.</Empty>}
        <table className="rows">
          <tbody>
            {kinds.map((kind) => (
              <tr key={kind.kind}>
                <td>
                  <strong>{kind.label}</strong>
                </td>
                <td className="num">{grouped(kind.items)}</td>
                <td className="num">
                  <Bytes count={kind.size_bytes} />
                </td>
                <td className="quiet last-word">
                  newest: {kind.newest_name} {kind.newest_at && <When at={kind.newest_at} />}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {aside.length > 0 && (
        <details className="guide">
          <summary>{counted(found.found.left_aside_count ?? aside.length, 'thing')} left aside</summary>
          <ul>
            {aside.map((entry, n) => (
              <li key={`${entry.name} ${n}`}>
                <strong>{entry.name}</strong>: {entry.why}
              </li>
            ))}
          </ul>
        </details>
      )}
      {found.state === 'ready' && kinds.length > 0 && <Take one={found} />}
      {['ready', 'done', 'failed'].includes(found.state) && (
        <Button size="sm" variant="outline-primary" className="mt-2" disabled={drop.busy} onClick={() => drop.go()}>
          Forget this entry
        </Button>
      )}
      {drop.problem && <Refused problem={drop.problem} />}
    </>
  );
}

function Take({ one }: { one: Import }) {
  const zone = useZone();
  const stores = useStores();
  const [device, setDevice] = useState('');
  const devices = useDeviceChoice(device);
  const [store, setStore] = useState('');
  const [moment, setMoment] = useState(wallClock(one.found.newest_at ?? one.at, zone));
  const body = { device, store: store || (stores.data?.[0]?.id ?? ''), moment };
  const take = useAct(() => client.POST('/api/imports/{id}/take', { params: { path: { id: one.id } }, body }), 'imports');
  const problem = take.problem;
  return (
    <Form className="sheet pad mt-3" onSubmit={() => take.go()} problem={problem}>
      <h3>Take it as a backup</h3>
      <div className="halves">
        <Picker label="Of the device" value={device} found={devices} onChoose={setDevice} />
        <Choice
          label="Into the store"
          value={body.store}
          onChange={setStore}
          options={(stores.data ?? []).map((found) => ({ value: found.id, label: found.name }))}
          field="store"
        />
        <MomentField
          label="Taken at"
          value={moment}
          onChange={setMoment}
          hint="In the office's time. Proposed: the newest thing in it."
          field="moment"
        />
      </div>
      <Button type="submit" disabled={!device || devices.shown === '' || take.busy}>
        {devices.shown ? `Bring it in for ${devices.shown}` : 'Bring it in'}
      </Button>
    </Form>
  );
}
