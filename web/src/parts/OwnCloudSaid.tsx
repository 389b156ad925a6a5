/** A device's own cloud backup: somebody else's copy, as the device says, that nobody here can prove; and what it said before. */
import { useQuery } from '@tanstack/react-query';

import { client, problemOf, told, type Schemas } from '../api/client';
import { key } from '../api/keys';
import { Bytes } from '../ui/Bytes';
import { When } from '../ui/Office';
import { Failed } from '../ui/States';
import { OwnCloudRoom } from './OwnCloudRoom';
import { accountLine, ownStateWord, toldLine, type OwnCloud } from './ownCloud';

type Row = Schemas['OwnCloudRow'];

const ROWS = 12;

export function OwnCloudSaid({ device }: { device: string }) {
  const params = { path: { id: device }, query: { page_size: ROWS } };
  const answer = useQuery({
    queryKey: key('devices', 'own cloud', params),
    queryFn: () => told(client.GET('/api/devices/{id}/own-cloud', { params })),
  });
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  if (!answer.data?.tells) return null;
  const [newest] = answer.data.results;
  return (
    <section>
      <h2>
        Its own cloud backup <small>as the device says</small>
      </h2>
      <div className="sheet pad">
        {newest?.told ? <Now own={newest.told} seenAt={newest.seen_at} /> : <p className="mb-1">It has none.</p>}
        {newest?.told?.state === 'on' && <OwnCloudRoom device={device} />}
        <p className="hint mb-0">
          Somebody else’s copy, which nobody here can prove: it counts neither as a copy nor as off site, and makes no device safe to wipe.
        </p>
        {answer.data.results.length > 1 && (
          <Before rows={answer.data.results.slice(1)} more={answer.data.count - answer.data.results.length} />
        )}
      </div>
    </section>
  );
}

function Now({ own, seenAt }: { own: OwnCloud; seenAt: string }) {
  return (
    <dl className="facts">
      <dt>{own.service || 'Backup'}</dt>
      <dd className={own.state === 'on' ? '' : 'tone-late'}>{ownStateWord(own.state)}</dd>
      <dt>Last success</dt>
      <dd>{own.last_success ? <When at={own.last_success} withAge /> : 'it tells of none'}</dd>
      {own.account && (
        <>
          <dt>Into</dt>
          <dd className="breaks">{own.account}</dd>
        </>
      )}
      {accountLine(own) && (
        <>
          <dt>Account</dt>
          <dd className={(own.percent ?? 0) >= 90 ? 'tone-late' : ''}>{accountLine(own)}</dd>
        </>
      )}
      <Parts title="By kind" parts={own.kinds} />
      <Parts title="By device" parts={own.devices} />
      <dt>Told</dt>
      <dd>
        <When at={seenAt} withAge />
      </dd>
    </dl>
  );
}

function Parts({ title, parts }: { title: string; parts: OwnCloud['kinds'] }) {
  if (parts.length === 0) return null;
  return (
    <>
      <dt>{title}</dt>
      <dd>
        {parts.map((one, n) => (
          <span key={one.name}>
            {n > 0 && ', '}
            {one.name} <Bytes count={one.bytes} />
          </span>
        ))}
      </dd>
    </>
  );
}

function Before({ rows, more }: { rows: readonly Row[]; more: number }) {
  return (
    <details className="mt-2">
      <summary>What it said before</summary>
      <ul className="mb-0">
        {rows.map((row) => (
          <li key={row.at}>
            <When at={row.at} />: {toldLine(row.told)}
            {row.drawn && <span className="quiet"> drawn for the demonstration</span>}
          </li>
        ))}
        {more > 0 && <li className="quiet">and {more} earlier</li>}
      </ul>
    </details>
  );
}
