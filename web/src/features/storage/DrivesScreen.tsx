/** Removable drives: where each is and what lies on it, also while it is in the safe; whose turn it is; taking one away. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { client, problemOf, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { useSave } from '../../api/save';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';
import { plainDay } from '../../ui/format';
import { Mark } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import {
  ahead,
  driveLine,
  shortDay,
  driveLook,
  drivesSentence,
  everyWords,
  onIt,
  turnLine,
  waitsLine,
  type Drive,
  type Rotation,
} from './drives';
import { useDrives } from './queries';
import { RotationForm } from './RotationForm';
import { TakeAway } from './TakeAway';

type Told = Schemas['Drives'];

export function DrivesScreen() {
  const drives = useDrives();
  return (
    <>
      <Heading title="Drives" />
      <p className="sub">
        {drives.data ? drivesSentence(drives.data.drives) : ' '} A drive is known by what lies on it, wherever it is mounted.
      </p>
      {drives.isPending && <Loading what="drives" />}
      {drives.isLoadingError && <Failed problem={problemOf(drives.error)} onRetry={() => void drives.refetch()} />}
      {drives.data && <Drives told={drives.data} />}
    </>
  );
}

const COLUMNS: readonly Column<Drive>[] = [
  { head: 'Drive', className: 'nowrap', cell: (drive) => <Named drive={drive} /> },
  { head: 'Where', cell: (drive) => <Where drive={drive} /> },
  { head: 'Turn', className: 'nowrap', cell: (drive) => turnLine(drive) || <span className="quiet">none</span> },
  { head: 'On it', cell: (drive) => <OnIt drive={drive} /> },
  { head: 'Waits for it', cell: (drive) => waitsLine(drive) },
  { head: 'Take away', cell: (drive) => <TakeAway drive={drive} /> },
];

function Drives({ told: { drives, rotations, strangers } }: { told: Told }) {
  const may = useMay();
  const [making, setMaking] = useState(false);
  return (
    <>
      {strangers.map((one) => (
        <div key={one.path} className="said" role="status">
          <strong>A drive with somebody else’s backups is plugged in</strong> at {one.path}. Nothing is written to it.{' '}
          {may('set_up') && <Link to="/storage/add">Add it as a store</Link>} if it belongs to this office; its passphrase opens it.
        </div>
      ))}
      <div className="sheet scroll mb-3">
        {drives.length === 0 && (
          <Empty>
            No removable drive yet. <Link to="/storage/add">Add a store</Link> on one: copies for it wait while it is elsewhere.
          </Empty>
        )}
        {drives.length > 0 && <Table columns={COLUMNS} rows={drives} keyOf={(drive) => drive.store_id} />}
      </div>
      {rotations.map((one) => (
        <Turns key={one.id} rotation={one} drives={drives} />
      ))}
      {drives.length > 0 && may('set_up') && !making && (
        <Button variant="outline-primary" onClick={() => setMaking(true)}>
          Make a rotation
        </Button>
      )}
      {making && <RotationForm drives={drives} onDone={() => setMaking(false)} />}
    </>
  );
}

function Named({ drive }: { drive: Drive }) {
  return (
    <>
      {drive.letter && <span className="turn-letter">{drive.letter}</span>}{' '}
      <Link className="title-link" to={`/storage/${drive.store_id}`}>
        {drive.name}
      </Link>
    </>
  );
}

function Where({ drive }: { drive: Drive }) {
  const may = useMay();
  const [asking, setAsking] = useState(false);
  return (
    <>
      <Mark look={driveLook(drive)} />
      <div className="quiet">
        {driveLine(drive)}
        {drive.state === 'out' && drive.out_since && (
          <>
            , since <When at={drive.out_since} />
          </>
        )}{' '}
        {may('set_up') && (
          <button type="button" className="linklike" onClick={() => setAsking(true)}>
            {drive.keeper || drive.rests_in ? 'change' : 'say where it rests'}
            <span className="visually-hidden">: {drive.name}</span>
          </button>
        )}
      </div>
      {asking && <Keep drive={drive} onDone={() => setAsking(false)} />}
    </>
  );
}

function Keep({ drive, onDone }: { drive: Drive; onDone: () => void }) {
  const [given, setGiven] = useState({ keeper: drive.keeper, rests_in: drive.rests_in });
  const save = useSave(
    (body: typeof given) => client.PUT('/api/drives/{id}', { params: { path: { id: drive.store_id } }, body }),
    given,
    'store',
    { after: onDone },
  );
  return (
    <Dialog
      title={`Where does ${drive.name} rest?`}
      action="Save"
      onSubmit={() => save.go(given)}
      onCancel={onDone}
      problem={save.problem}
      onOver={save.over}
    >
      <Field
        label="It lies in"
        value={given.rests_in}
        onChange={(rests_in) => setGiven({ ...given, rests_in })}
        placeholder="the safe"
        field="rests_in"
        maxLength={120}
      />
      <Field
        label="Who takes it home"
        value={given.keeper}
        onChange={(keeper) => setGiven({ ...given, keeper })}
        field="keeper"
        maxLength={120}
      />
    </Dialog>
  );
}

function OnIt({ drive }: { drive: Drive }) {
  return (
    <>
      {onIt(drive)}
      {drive.newest_at && (
        <div className="quiet">
          newest <When at={drive.newest_at} />
        </div>
      )}
    </>
  );
}

const AHEAD = 6;

/** The turns that come, as a line of days. */
function Turns({ rotation, drives }: { rotation: Rotation; drives: readonly Drive[] }) {
  const may = useMay();
  const [changing, setChanging] = useState(false);
  return (
    <section className="sheet pad mb-3">
      <div className="head mb-0">
        <h2>
          {rotation.name} <small>another drive {everyWords(rotation.every_days)}</small>
        </h2>
        {may('set_up') && (
          <Button size="sm" variant="outline-primary" aria-expanded={changing} onClick={() => setChanging(!changing)}>
            Change
          </Button>
        )}
      </div>
      <ol className="turns">
        {ahead(rotation, drives, AHEAD).map((turn, n) => (
          <li key={turn.first} className={n === 0 ? 'now' : ''}>
            <span className="turn-letter">{turn.letter}</span> {turn.name}
            <span className="quiet" title={plainDay(turn.first)}>
              {n === 0 ? 'now' : shortDay(turn.first)}
            </span>
          </li>
        ))}
      </ol>
      {changing && <RotationForm rotation={rotation} drives={drives} onDone={() => setChanging(false)} />}
    </section>
  );
}
