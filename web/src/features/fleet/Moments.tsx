/** What can be restored of a device, and its last runs. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { problemOf, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { useDeviceBackups, useRuns } from '../../api/queries';
import { Removal, type Chosen } from '../../parts/Removal';
import { Bytes } from '../../ui/Bytes';
import { clock, counted, day, iec, plainDay } from '../../ui/format';
import { Mark, RUN_STATES } from '../../ui/Mark';
import { useZone, When } from '../../ui/Office';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';

type Backup = Schemas['KeptBackup'];

const COLUMNS: readonly Column<Backup>[] = [
  { head: 'Finished', className: 'nowrap', cell: (backup) => <Finished backup={backup} /> },
  { head: 'Where', className: 'nowrap', cell: (backup) => <Where backup={backup} /> },
  { head: 'Size', number: true, cell: (backup) => <Bytes count={backup.size_bytes} /> },
  { head: 'Kept because', cell: (backup) => whyShort(backup.kept) },
  { head: 'Begins to leave', className: 'nowrap', cell: (backup) => [...new Set(backup.kept.map(falls))].join(', ') },
];

export function Moments({ id }: { id: string }) {
  const backups = useDeviceBackups(id);
  const may = useMay();
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const choose = (one: string) => setChosen(chosen.includes(one) ? chosen.filter((other) => other !== one) : [...chosen, one]);
  const ticks: Column<Backup> = {
    head: 'Choose',
    hidden: true,
    cell: (backup) => <Tick backup={backup} on={chosen.includes(backup.id)} onChoose={choose} />,
  };
  return (
    <section>
      <h2>
        Moments <small>what can be restored, why it is kept and until when</small>
      </h2>
      {may('remove') && backups.data && backups.data.length > 0 && <Removing device={id} chosen={chosen} onDone={() => setChosen([])} />}
      <div className="sheet scroll moments-list">
        {backups.isPending && <Loading what="backups" />}
        {backups.isLoadingError && <Failed problem={problemOf(backups.error)} onRetry={() => void backups.refetch()} />}
        {backups.data?.length === 0 && <Empty>No backup of this device has finished yet.</Empty>}
        {backups.data && backups.data.length > 0 && (
          <Table
            columns={may('remove') ? [ticks, ...COLUMNS] : COLUMNS}
            rows={backups.data}
            keyOf={(backup) => backup.id}
            rowClass={() => 'linked'}
          />
        )}
      </div>
    </section>
  );
}

function Removing({ device, chosen, onDone }: { device: string; chosen: readonly string[]; onDone: () => void }) {
  const [removing, setRemoving] = useState<Chosen | null>(null);
  const close = () => {
    setRemoving(null);
    onDone();
  };
  return (
    <div className="row-end mb-2">
      <Link to={`/erasing/ask?device=${device}`}>Erase it on request …</Link>
      {chosen.length > 0 && (
        <Button size="sm" variant="outline-danger" onClick={() => setRemoving({ backups: chosen })}>
          Remove {counted(chosen.length, 'backup')} …
        </Button>
      )}
      <Button size="sm" variant="outline-primary" onClick={() => setRemoving({ device })}>
        Remove all …
      </Button>
      {removing && (
        <Removal
          title={'device' in removing ? 'Remove all backups of this device?' : `Remove ${counted(chosen.length, 'backup')}?`}
          chosen={removing}
          onClose={close}
        />
      )}
    </div>
  );
}

function Tick({ backup, on, onChoose }: { backup: Backup; on: boolean; onChoose: (id: string) => void }) {
  const zone = useZone();
  return (
    <input
      type="checkbox"
      aria-label={`Choose the backup of ${day(backup.finished_at, zone)} ${clock(backup.finished_at, zone)}`}
      checked={on}
      onChange={() => onChoose(backup.id)}
    />
  );
}

function Finished({ backup }: { backup: Backup }) {
  const before = `Taken from version ${backup.os_version}, while ${backup.update_pending} waited to be installed.`;
  return (
    <>
      <Link className="title-link" to={`/backups/${backup.id}`}>
        <When at={backup.finished_at} />
      </Link>
      {backup.imported_from && <span className="quiet"> brought in</span>}
      {backup.suspect && <span className="tone-late"> far fewer items</span>}
      {backup.update_pending && (
        <span className="quiet" title={before}>
          {' '}
          before {backup.update_pending}
        </span>
      )}
      {backup.note && <em className="d-block text-wrap">{backup.note}</em>}
    </>
  );
}

const COMING = { owed: 'copy owed', copying: 'copy under way', failed: 'not copied' } as const;

/** Where it lies, and where it is to lie as well. */
function Where({ backup }: { backup: Backup }) {
  return (
    <>
      {backup.copies.map((copy) => copy.store_name + (copy.intact ? '' : ' (damaged)')).join(', ')}
      {backup.coming.map((copy) => (
        <span key={copy.store_id} className="d-block quiet" title={copy.cause}>
          {copy.store_name}: {COMING[copy.state]}
        </span>
      ))}
    </>
  );
}

function falls(kept: Schemas['Kept']): string {
  if (kept.leaves_on) return `leaves: gone on ${plainDay(kept.leaves_on)}`;
  if (!kept.kept) return 'tonight';
  return kept.falls_out_on ? plainDay(kept.falls_out_on) : 'not by itself';
}

function whyShort(kept: Schemas['Kept'][]): string {
  const why = [...new Set(kept.flatMap((one) => (one.leaves_on ? [one.leaves_because] : one.why)))];
  const held = why.filter((one) => one.startsWith('on hold'));
  const [first = 'no rule any more', ...others] = [...held, ...why.filter((one) => !held.includes(one))];
  return others.length ? `${first}, and ${counted(others.length, 'more reason')}` : first;
}

export function DeviceRuns({ id }: { id: string }) {
  const runs = useRuns({ device: id, page_size: 8 });
  return (
    <section>
      <h2>
        Last runs <small>{<Link to={`/history?device=${id}`}>all of them</Link>}</small>
      </h2>
      <div className="sheet scroll">
        {runs.data?.results.length === 0 && <Empty>No run yet.</Empty>}
        <table className="rows">
          <tbody>
            {runs.data?.results.map((run) => (
              <tr key={run.id} className="linked">
                <td className="nowrap">
                  <Mark look={RUN_STATES[run.state]} />
                </td>
                <td className="nowrap">
                  <Link to={`/history/${run.id}`}>
                    <When at={run.finished_at ?? run.asked_at} />
                  </Link>
                </td>
                <td>{run.cause}</td>
                <td className="num">{run.backup_id ? `+${iec(run.stored_bytes)}` : '–'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
