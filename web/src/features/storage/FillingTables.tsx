/** The tables of what fills a device. */
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { Bytes } from '../../ui/Bytes';
import { counted, grouped, iec } from '../../ui/format';
import { When } from '../../ui/Office';
import { Empty } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import type { Wish } from './LeaveOut';
import { grewMost, grownWords, parted, type Filling, type FillingItem, type Growth } from './filling';

export interface Part {
  found: Filling;
  label: (kind: string) => string;
  onLeaveOut: (wish: Wish) => void;
}

/** Its name, with the folders before it in the second place, and its kind. */
function Named({ item, label }: { item: Pick<FillingItem, 'name' | 'kind'>; label: Part['label'] }) {
  const { before, last } = parted(item.name);
  return (
    <>
      <strong className="breaks">{last}</strong>{' '}
      <span className="quiet">
        {label(item.kind).toLowerCase()}
        {before && ` in ${before}`}
      </span>
    </>
  );
}

const LeaveOutButton = ({ wish, onLeaveOut }: { wish: Wish; onLeaveOut: Part['onLeaveOut'] }) => (
  <Button size="sm" variant="outline-primary" onClick={() => onLeaveOut(wish)}>
    Leave out …<span className="visually-hidden"> {wish.under}</span>
  </Button>
);

export function Largest({ found, label, onLeaveOut }: Part) {
  const columns: readonly Column<FillingItem>[] = [
    { head: 'Item', cell: (item) => <Named item={item} label={label} /> },
    { head: 'On the device', number: true, cell: (item) => <Bytes count={item.size_bytes} /> },
    { head: 'It alone needs', number: true, cell: (item) => <Bytes count={item.own_bytes} /> },
    { head: 'Backups', number: true, cell: (item) => grouped(item.backups) },
    {
      head: 'Step',
      hidden: true,
      className: 'nowrap',
      cell: (item) => <LeaveOutButton wish={{ kind: item.kind, under: item.name }} onLeaveOut={onLeaveOut} />,
    },
  ];
  return (
    <section aria-label="The largest items">
      <h2>
        The largest items <small>of the newest backup; what one alone needs lies in the store for nothing else</small>
      </h2>
      <div className="sheet scroll">
        {found.largest.length === 0 && <Empty>The newest backup holds nothing.</Empty>}
        <Table columns={columns} rows={found.largest.slice(0, 15)} keyOf={(item) => `${item.kind} ${item.id}`} />
      </div>
    </section>
  );
}

export function OnlyOld({ found, label }: Part) {
  const columns: readonly Column<FillingItem>[] = [
    { head: 'Item', cell: (item) => <Named item={item} label={label} /> },
    { head: 'What of it', cell: (item) => <Rest item={item} /> },
    { head: 'Only old', number: true, cell: (item) => <Bytes count={item.old_bytes} /> },
    { head: 'Backups', number: true, cell: (item) => grouped(item.backups) },
  ];
  const rest = found.only_old_bytes - found.only_old_apart_bytes;
  return (
    <section aria-label="Only old backups hold it">
      <h2>
        Only old backups hold it <small>{iec(found.only_old_bytes)}, free once they have left and a sweep gave them back</small>
      </h2>
      <div className="sheet scroll">
        {found.only_old_bytes === 0 && <Empty>Nothing: the newest backup or another device needs all of it.</Empty>}
        {found.only_old.length > 0 && <Table columns={columns} rows={found.only_old} keyOf={(item) => `${item.kind} ${item.id}`} />}
        {found.only_old_bytes > 0 && (
          <p className="pad quiet mb-0">
            {found.only_old_items > found.only_old.length &&
              `${counted(found.only_old_items - found.only_old.length, 'smaller item')} more. `}
            <Bytes count={rest} /> of it are lists, and small things that lie together.
          </p>
        )}
      </div>
    </section>
  );
}

/** Gone, or earlier versions; with the last backup that holds it. */
function Rest({ item }: { item: FillingItem }) {
  if (item.now) return <span className="quiet">earlier versions; the item is still there</span>;
  return (
    <>
      gone; last in the{' '}
      <Link to={`/backups/${item.last_backup}`}>
        backup of <When at={item.last_at} />
      </Link>
    </>
  );
}

export function Growing({ found, label }: Part) {
  const since = found.growth[0]?.since;
  const columns: readonly Column<Growth>[] = [
    { head: 'Kind', cell: (one) => label(one.kind) },
    { head: 'On the device', number: true, cell: (one) => <Bytes count={one.size_bytes} /> },
    { head: 'Grown', number: true, cell: (one) => grownWords(one.grown_bytes) },
  ];
  return (
    <section aria-label="What grows">
      <h2>
        What grows <small>{grewMost(found.growth, label)}</small>
      </h2>
      <div className="sheet scroll">
        <Table columns={columns} rows={found.growth} keyOf={(one) => one.kind} />
        <p className="pad quiet mb-0">
          {since ? (
            <>
              Against the backup of <When at={since} />.
            </>
          ) : (
            'Its backups do not reach back a week yet.'
          )}
        </p>
      </div>
    </section>
  );
}

export function Folders({ found, label, onLeaveOut }: Part) {
  const columns: readonly Column<Filling['folders'][number]>[] = [
    { head: 'Folder', cell: (one) => <Named item={{ name: one.under, kind: one.kind }} label={label} /> },
    { head: 'On the device', number: true, cell: (one) => <Bytes count={one.size_bytes} /> },
    { head: 'Step', hidden: true, className: 'nowrap', cell: (one) => <LeaveOutButton wish={one} onLeaveOut={onLeaveOut} /> },
  ];
  if (found.folders.length === 0) return null;
  return (
    <section aria-label="Folders and albums">
      <h2>Folders and albums</h2>
      <div className="sheet scroll">
        <Table columns={columns} rows={found.folders.slice(0, 8)} keyOf={(one) => `${one.kind} ${one.under}`} />
      </div>
    </section>
  );
}

export function Talking({ found }: Part) {
  const { talks } = found;
  const columns: readonly Column<(typeof talks.lines)[number]>[] = [
    { head: 'With', cell: (one) => (one.id ? one.name : <span className="quiet">named by no conversation</span>) },
    { head: 'Attachments', number: true, cell: (one) => grouped(one.attachments) },
    { head: 'On the device', number: true, cell: (one) => <Bytes count={one.size_bytes} /> },
  ];
  if (talks.count === 0) return null;
  return (
    <section aria-label="Attachments by conversation">
      <h2>Attachments by conversation</h2>
      <div className="sheet scroll">
        <Table columns={columns} rows={talks.lines.slice(0, 8)} keyOf={(one) => one.id || 'none'} />
        {(talks.unread > 0 || talks.count > 8) && (
          <p className="pad quiet mb-0">
            {talks.count > 8 && `${counted(talks.count - 8, 'smaller one')} more. `}
            {talks.unread > 0 && `${counted(talks.unread, 'conversation')} could not be read.`}
          </p>
        )}
      </div>
    </section>
  );
}
