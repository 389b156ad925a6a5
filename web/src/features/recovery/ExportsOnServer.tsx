/** What exports left on the server: archives to fetch, and folders until their day. Nothing while there are none. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { useAct } from '../../api/act';
import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { Bytes } from '../../ui/Bytes';
import { Confirm } from '../../ui/forms/Confirm';
import { DateField } from '../../ui/forms/DateField';
import { Dialog } from '../../ui/forms/Dialog';
import { Mark, STANDINGS } from '../../ui/Mark';
import { writtenDay } from '../../ui/forms/dates';
import { When } from '../../ui/Office';
import { Refused } from '../../ui/States';
import type { Export } from './queries';
import { laidOut } from './words';

const SHOWN = 20;

export function ExportsOnServer() {
  const exports = useQuery({
    queryKey: key('exports'),
    queryFn: () => told(client.GET('/api/exports', { params: { query: { page_size: SHOWN } } })),
  });
  const details = exports.data;
  if (!details || details.count === 0) return null;
  return (
    <section className="mt-3">
      <h2>Exports on this server</h2>
      <div className="sheet scroll">
        <table className="rows cards">
          <thead>
            <tr>
              <th scope="col">What</th>
              <th scope="col">Of</th>
              <th scope="col" className="num">
                Size
              </th>
              <th scope="col">Until</th>
              <th scope="col">Whose</th>
              <th scope="col">
                <span className="visually-hidden">Act</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {details.results.map((one) => (
              <Row key={one.id} one={one} />
            ))}
          </tbody>
        </table>
      </div>
      {details.count > details.results.length && (
        <p className="hint">
          The newest {details.results.length} of {details.count}.
        </p>
      )}
    </section>
  );
}

function Row({ one }: { one: Export }) {
  return (
    <tr>
      <td data-label="What">
        <Link className="title-link" to={`/restore/${one.id}`}>
          {one.folder || one.file_name}
        </Link>{' '}
        <span className="quiet">{laidOut(one)}</span>
        {one.trouble && (
          <div>
            <Mark look={STANDINGS['late']} wordless /> Could not be erased: {one.trouble}
          </div>
        )}
      </td>
      <td data-label="Of">
        {one.source_name}, {one.source_holder}{' '}
        <span className="quiet">
          of <When at={one.backup_at} />
        </span>
      </td>
      <td className="num" data-label="Size">
        <Bytes count={one.size_bytes} />
      </td>
      <td className="nowrap" data-label="Until">
        {one.until && writtenDay(one.until)}
        {!one.folder && <span className="quiet"> or a restart</span>}
      </td>
      <td data-label="Whose">{one.keeper_name || one.by_name}</td>
      <td className="nowrap">
        <Acts one={one} />
      </td>
    </tr>
  );
}

function Acts({ one }: { one: Export }) {
  const may = useMay();
  const [open, setOpen] = useState<'' | 'erase' | 'keep'>('');
  const erase = useAct(() => client.POST('/api/exports/{id}/erase', { params: { path: { id: one.id } } }), 'export');
  const what = one.folder || one.file_name;
  if (!may('restore')) return null;
  return (
    <div className="row-end flex-nowrap">
      {!one.folder && (
        <a className="btn btn-sm btn-outline-primary" href={`/api/restores/${one.id}/archive`} download>
          Save<span className="visually-hidden"> {what}</span>
        </a>
      )}
      {one.folder && may('set_up') && (
        <Button size="sm" variant="outline-primary" onClick={() => setOpen('keep')}>
          Another day<span className="visually-hidden"> for {what}</span>
        </Button>
      )}
      {(!one.folder || may('set_up')) && (
        <Button size="sm" variant="outline-danger" disabled={erase.busy} onClick={() => setOpen('erase')}>
          Erase<span className="visually-hidden"> {what}</span>
        </Button>
      )}
      <Refused problem={erase.problem} />
      {open === 'keep' && <Keep one={one} onDone={() => setOpen('')} />}
      {open === 'erase' && (
        <Confirm
          title={`Erase ${what}?`}
          action="Erase"
          onConfirm={() => {
            setOpen('');
            erase.go();
          }}
          onCancel={() => setOpen('')}
        >
          <p>
            {one.folder ? 'The folder goes with everything in it, whoever put it there.' : 'The archive goes from this server.'} The backup
            that it was made from stays.
          </p>
        </Confirm>
      )}
    </div>
  );
}

function Keep({ one, onDone }: { one: Export; onDone: () => void }) {
  const [until, setUntil] = useState(one.until ?? '');
  const keep = useAct(
    () => client.POST('/api/exports/{id}/keep', { params: { path: { id: one.id } }, body: { until, keeper: one.keeper_id ?? 0 } }),
    'export',
    onDone,
  );
  return (
    <Dialog
      title={`How long ${one.folder} stays`}
      action="Save"
      onSubmit={() => keep.go()}
      onCancel={onDone}
      problem={keep.problem}
      busy={keep.busy}
    >
      <DateField label="Last day" value={until} onChange={setUntil} field="until" required />
    </Dialog>
  );
}
