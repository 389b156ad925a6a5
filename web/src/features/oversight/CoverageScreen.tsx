/** What of a device is safe where, kind by kind; and what lies on it now, before anything is read. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useDevice } from '../../api/queries';
import { Bytes } from '../../ui/Bytes';
import { DeviceTabs } from '../../ui/DeviceTabs';
import { counted, grouped, iec } from '../../ui/format';
import { Age, When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { OwnCloudSaid } from '../../parts/OwnCloudSaid';
import { Chosen, Decide } from './Decide';

type KindCover = Schemas['KindCover'];

const COVERS: Record<KindCover['cover'], { sign: string; word: string; tone: string }> = {
  backed_up: { sign: '●', word: 'backed up', tone: 'tone-ok' },
  behind: { sign: '◐', word: 'some not saved yet', tone: 'tone-soon' },
  in_step_only: { sign: '◇', word: 'only synchronised', tone: 'tone-late' },
  nothing: { sign: '□', word: 'covered by nothing', tone: 'tone-late' },
  empty: { sign: '–', word: 'none there', tone: 'tone-off' },
};

export function CoverageScreen() {
  const { id = '' } = useParams();
  const device = useDevice(id);
  const may = useMay();
  const [asked, setAsked] = useState<{ kind: string; service: string } | null>(null);
  const coverage = useQuery({
    queryKey: key('coverage', id),
    queryFn: () => told(client.GET('/api/devices/{id}/coverage', { params: { path: { id } } })),
  });
  const scan = useAct(() => client.POST('/api/devices/{id}/scan', { params: { path: { id } } }), 'coverage');
  if (coverage.isPending || device.isPending) return <Loading what="the coverage" />;
  if (coverage.isLoadingError) return <FailedScreen problem={problemOf(coverage.error)} onRetry={() => void coverage.refetch()} />;
  if (device.isLoadingError) return <FailedScreen problem={problemOf(device.error)} />;
  const { kinds, scanned_at: scannedAt } = coverage.data;
  const mayChange = may('run');
  const total = kinds.reduce((sum, one) => sum + (one.live?.size_bytes ?? 0), 0);
  return (
    <>
      <div className="head mb-1">
        <Heading title={`Coverage of ${device.data.name}, ${device.data.holder}`}>
          {device.data.name} <span className="quiet fw-normal">{device.data.holder}</span>
        </Heading>
        <div className="row-end">
          <span className="quiet" role="status">
            {scannedAt ? (
              <>
                looked at <Age at={scannedAt} />: {iec(total)} on it
              </>
            ) : (
              'nobody has looked at it yet'
            )}
          </span>
          {mayChange && device.data.link !== 'none' && (
            <Button variant="outline-primary" disabled={scan.busy} onClick={() => scan.go()}>
              {scan.busy ? 'Looking at the device …' : 'Look at it now'}
            </Button>
          )}
        </div>
      </div>
      <DeviceTabs id={id} inside={may('look_inside')} />
      <Refused problem={scan.problem} />
      <div className="sheet scroll">
        {kinds.length === 0 && <Empty>Nothing is known of what is on it. Look at it now, or run a backup.</Empty>}
        {kinds.length > 0 && (
          <table className="rows dense">
            <thead>
              <tr>
                <th scope="col">Kind</th>
                <th scope="col">Covered</th>
                <th scope="col" className="num">
                  On the device
                </th>
                <th scope="col" className="num">
                  Size there
                </th>
                <th scope="col" className="num">
                  In the backup
                </th>
                <th scope="col">How old, where</th>
                <th scope="col">Its newest, to check by eye</th>
                <th scope="col">Synchronised by</th>
              </tr>
            </thead>
            <tbody>
              {kinds.map((one) => (
                <Row
                  key={one.kind}
                  one={one}
                  total={total}
                  mayChange={mayChange}
                  onDecide={(service) => setAsked({ kind: one.kind, service })}
                />
              ))}
            </tbody>
          </table>
        )}
      </div>
      <LeftOutOf id={id} />
      <OwnCloudSaid device={id} />
      {asked && (
        <Decide
          id={id}
          name={`${device.data.name}, ${device.data.holder}`}
          kinds={kinds.filter((one) => one.accounts.some((account) => account.service === asked.service))}
          {...asked}
          onDone={() => setAsked(null)}
        />
      )}
      <p className="quiet mt-2">
        Synchronised is not backed up: a deletion or a damage travels too, and nobody can say up front which account it is. The test is to
        look for the entry added last.
      </p>
    </>
  );
}

/** What its newest backup lacks, and what of that somebody has accepted. */
function LeftOutOf({ id }: { id: string }) {
  const may = useMay();
  const answer = useQuery({
    queryKey: key('omissions', id),
    queryFn: () => told(client.GET('/api/devices/{id}/omissions', { params: { path: { id } } })),
  });
  const takeBack = useAct(
    (one: number) => client.DELETE('/api/omissions/{id}', { params: { path: { id: one } } }),
    ['omission', 'coverage'],
  );
  if (answer.isPending) return null;
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  const { skipped, accepted, count, run_id: run } = answer.data;
  const open = skipped.filter((row) => row.counts).length;
  if (count === 0 && accepted.length === 0) return null;
  return (
    <section className="mt-3" aria-label="Left out">
      <h2>
        Left out <small>of its newest backup</small>
      </h2>
      {count > 0 && run && (
        <p className="mb-1">
          {open > 0 ? (
            <strong className="tone-late">{counted(open, 'thing')} that nobody has accepted</strong>
          ) : (
            'Nothing that nobody has accepted'
          )}
          ; {counted(count, 'thing')} in all. <Link to={`/history/${run}`}>See which</Link>
        </p>
      )}
      <Refused problem={takeBack.problem} />
      {accepted.length > 0 && (
        <div className="sheet scroll">
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">Accepted</th>
                <th scope="col">For</th>
                <th scope="col">Why</th>
                <th scope="col">By</th>
                <th scope="col">
                  <span className="visually-hidden">Take back</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {accepted.map((one) => (
                <tr key={one.id}>
                  <td className="breaks">{one.says}</td>
                  <td>{one.alike ? `all like ${one.device_name}` : 'this device'}</td>
                  <td>{one.why}</td>
                  <td>
                    {one.by_name}, <Age at={one.at} />
                  </td>
                  <td className="num">
                    {may('run') && (
                      <button type="button" className="linklike" disabled={takeBack.busy} onClick={() => takeBack.go(one.id)}>
                        take back
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

function Row({
  one,
  total,
  mayChange,
  onDecide,
}: {
  one: KindCover;
  total: number;
  mayChange: boolean;
  onDecide: (service: string) => void;
}) {
  const cover = COVERS[one.cover];
  return (
    <tr>
      <td>
        <strong>{one.label}</strong>
        {one.secret && (
          <span className="quiet" title="Only travels in encrypted backups; every store here is encrypted.">
            {' '}
            encrypted only
          </span>
        )}
        {!one.planned && !one.choice && one.cover !== 'empty' && <span className="quiet"> not in its plan</span>}
      </td>
      <td className="nowrap" title={one.says}>
        <span className={cover.tone} aria-hidden="true">
          {cover.sign}
        </span>{' '}
        {cover.word}
        {one.left_out > 0 && <span className="tone-late"> · {counted(one.left_out, 'thing')} left out</span>}
      </td>
      <td className="num">{one.live ? grouped(one.live.items) : '–'}</td>
      <td className="num">
        {one.live?.items ? (
          <details className="largest">
            <summary>
              <Bytes count={one.live.size_bytes} />
              {total > 0 && one.live.size_bytes * 20 > total && (
                <span className="quiet"> {Math.round((one.live.size_bytes * 100) / total)} %</span>
              )}
            </summary>
            <ol>
              {one.largest.slice(0, 6).map((item) => (
                <li key={item.name}>
                  {item.name} <Bytes count={item.size_bytes} />
                </li>
              ))}
            </ol>
          </details>
        ) : (
          '–'
        )}
      </td>
      <td className="num">{one.newest ? grouped(one.newest.items) : '–'}</td>
      <td className="where">
        {one.newest ? (
          <>
            <Link to={`/backups/${one.newest.backup}`}>
              <Age at={one.newest.finished_at} />
            </Link>
            , {one.stores.join(', ')}
          </>
        ) : (
          '–'
        )}
      </td>
      <td className="last-word">
        {one.live?.newest_name ? (
          <>
            {one.live.newest_name}
            {one.live.newest_at && (
              <span className="quiet">
                {' '}
                <When at={one.live.newest_at} />
              </span>
            )}
          </>
        ) : (
          (one.newest?.newest_name ?? '')
        )}
      </td>
      <td className="last-word">
        {one.accounts.map((account) => (
          <div key={account.service}>
            {account.service}
            {account.is_default && <span className="quiet">, default</span>}
            {account.off_by_policy ? (
              <span className="tone-late">, switched off by its administrator</span>
            ) : account.last_sync ? (
              <span className="quiet">
                , <Age at={account.last_sync} />
              </span>
            ) : (
              <span className="tone-late">, has never synchronised</span>
            )}
            {mayChange && (
              <>
                {' '}
                <button type="button" className="linklike" onClick={() => onDecide(account.service)}>
                  {account.off_by_policy && !one.choice ? 'decide …' : one.planned ? 'leave out …' : 'take in …'}
                  <span className="visually-hidden">
                    {' '}
                    {one.label}, synchronised by {account.service}
                  </span>
                </button>
              </>
            )}
          </div>
        ))}
        <Chosen one={one} mayChange={mayChange} />
      </td>
    </tr>
  );
}
