/** Whether a backup of a device was ever brought back: its newest drill, and a way to begin one. */
import { useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { useAct } from '../api/act';
import { client, problemOf, told } from '../api/client';
import { key } from '../api/keys';
import { useMay } from '../api/may';
import { When } from '../ui/Office';
import { Failed, Refused } from '../ui/States';

export function Proven({ device }: { device: string }) {
  const may = useMay();
  const query = { device, page_size: 5 };
  const drills = useQuery({ queryKey: key('drills', query), queryFn: () => told(client.GET('/api/drills', { params: { query } })) });
  const begin = useAct(() => client.POST('/api/drills', { body: { device, store: null } }), 'drill');
  if (drills.isLoadingError) return <Failed problem={problemOf(drills.error)} />;
  if (!drills.data) return null;
  const newest = drills.data.results[0];
  const right = drills.data.results.find((one) => one.state === 'right');
  const active = newest?.state === 'waiting' || newest?.state === 'running';
  return (
    <section>
      <h2>
        Drill <small>does it come back?</small>
      </h2>
      <div className="sheet pad">
        <p>
          {right?.finished_at ? (
            <>
              Its backup came back right <When at={right.finished_at} withAge />.
            </>
          ) : (
            'None of its backups was brought back on trial yet.'
          )}{' '}
          {newest && newest !== right && <Link to={`/drills/${newest.id}`}>{active ? 'Watch the drill' : 'Look at the newest drill'}</Link>}
          {newest && newest === right && <Link to={`/drills/${newest.id}`}>Its report</Link>}
        </p>
        <Refused problem={begin.problem} />
        {may('keep') && !active && (
          <Button size="sm" variant="outline-primary" disabled={begin.busy} onClick={() => begin.go()}>
            Drill now
          </Button>
        )}
      </div>
    </section>
  );
}
