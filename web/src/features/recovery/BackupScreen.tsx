/** One backup: what it is, why it is kept and until when, and what is in it. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';

import { client, problemOf } from '../../api/client';
import { useMay } from '../../api/may';
import { useSave } from '../../api/save';
import { Form } from '../../ui/forms/Form';
import { Bytes } from '../../ui/Bytes';
import { Field } from '../../ui/forms/Field';
import { counted } from '../../ui/format';
import { useZone } from '../../ui/Office';
import { clock, day } from '../../ui/format';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading } from '../../ui/States';
import { DoubtedDate } from './DoubtedDate';
import { Inside } from './Inside';
import { Kept } from './Kept';
import { useBackup, type Backup, type Kind } from './queries';

export function BackupScreen() {
  const { id = '' } = useParams();
  const [params, setParams] = useSearchParams();
  const backup = useBackup(id);
  const may = useMay();
  const zone = useZone();
  if (backup.isPending) return <Loading what="the backup" />;
  if (backup.isLoadingError) return <FailedScreen problem={problemOf(backup.error)} onRetry={() => void backup.refetch()} />;
  const details = backup.data;
  const mayRead = may('look_inside');
  return (
    <>
      <div className="head">
        <div>
          <Heading title={`Backup of ${details.device_name}, ${day(details.finished_at, zone)}`}>
            {details.device_name}, {day(details.finished_at, zone)} {clock(details.finished_at, zone)}
          </Heading>
          <p className="sub mb-0">
            {details.holder} · {counted(details.items, 'item')}, <Bytes count={details.size_bytes} /> ·{' '}
            {details.encrypted ? 'encrypted' : 'not encrypted'} · in{' '}
            {details.copies.map((copy) => copy.store_name + (copy.intact ? '' : ' (damaged)')).join(', ')}
            {details.os_version && ` · taken from version ${details.os_version}`}
            {details.update_pending && `, while ${details.update_pending} waited to be installed`}
          </p>
        </div>
        <Ways backup={details} />
      </div>
      <Note backup={details} mayChange={mayRead} />
      {details.suspect && (
        <div className="said bad">
          <strong>It has far fewer items than the backup before.</strong> It can be restored; until somebody has looked it counts for no
          promise and makes none leave. <Link to="/anomalies">Look at what is odd</Link>
        </div>
      )}
      {details.in_doubt && <DoubtedDate backup={details} mayChange={may('set_up')} />}
      <Kept backup={details} />
      {mayRead ? (
        <Inside
          backup={details}
          kind={(params.get('kind') as Kind | null) ?? undefined}
          onKind={(kind) => setParams({ kind }, { replace: true })}
        />
      ) : (
        <p className="state-note">Looking inside backups is for operators and administrators.</p>
      )}
    </>
  );
}

/** Where one goes from here. */
function Ways({ backup }: { backup: Backup }) {
  const may = useMay();
  const navigate = useNavigate();
  return (
    <div className="row-end">
      <Link to={`/devices/${backup.device_id}`}>Device {backup.device_name}</Link>
      {may('look_inside') && may('remove') && <Link to={`/backups/${backup.id}/erase`}>Erase something of it …</Link>}
      {backup.run_id && <Link to={`/history/${backup.run_id}`}>Run of this backup</Link>}
      {may('look_inside') && (
        <Button onClick={() => void navigate(`/restore?device=${backup.device_id}&backup=${backup.id}`)}>Restore from it</Button>
      )}
    </div>
  );
}

/** For whoever looks for this moment later. */
function Note({ backup, mayChange }: { backup: Backup; mayChange: boolean }) {
  const [typed, setTyped] = useState(false);
  if (!typed)
    return (
      <p>
        {backup.note ? <em>{backup.note}</em> : <span className="quiet">No note stands beside it.</span>}{' '}
        {mayChange && (
          <button type="button" className="linklike" onClick={() => setTyped(true)}>
            {backup.note ? 'change the note' : 'write one'}
          </button>
        )}
      </p>
    );
  return <WriteNote backup={backup} onDone={() => setTyped(false)} />;
}

function WriteNote({ backup, onDone }: { backup: Backup; onDone: () => void }) {
  const [note, setNote] = useState(backup.note);
  const save = useSave(
    (body: { note: string }) => client.PUT('/api/backups/{id}/note', { params: { path: { id: backup.id } }, body }),
    { note: backup.note },
    'backup',
    { after: onDone },
  );
  return (
    <Form className="sheet pad mb-3" onSubmit={() => save.go({ note })} problem={save.problem} onOver={save.over}>
      <Field label="Note" value={note} onChange={setNote} maxLength={200} />
      <div className="row-end">
        <Button size="sm" variant="outline-primary" onClick={onDone}>
          Cancel
        </Button>
        <Button size="sm" type="submit" disabled={save.busy}>
          Save the note
        </Button>
      </div>
    </Form>
  );
}
