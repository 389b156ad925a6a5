/** One drill: what came back, what was opened, and what was not as it should be. */
import { useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { Link, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { counted } from '../../ui/format';
import { Mark } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading, Refused } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { came, DRILL_STATES, isActive, openedWords, whyNotAll } from './drills';

type Drill = Schemas['Drill'];
type Finding = Schemas['FindingNamed'];

const NAMED: readonly Column<Finding>[] = [
  { head: 'Kind', className: 'nowrap', cell: (row) => row.kind },
  { head: 'Item', cell: (row) => row.name || <span className="quiet">not shown</span> },
  { head: 'What was found', cell: (row) => row.says },
];

export function DrillScreen() {
  const { id = '' } = useParams();
  const may = useMay();
  const answer = useQuery({
    queryKey: key('drills', id),
    queryFn: () => told(client.GET('/api/drills/{id}', { params: { path: { id } } })),
  });
  const stop = useAct(() => client.POST('/api/drills/{id}/stop', { params: { path: { id } } }), 'drill');
  if (answer.isPending) return <Loading what="the drill" />;
  if (answer.isLoadingError) return <FailedScreen problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  const drill = answer.data;
  return (
    <>
      <div className="head">
        <div>
          <Heading title={`Drill of ${drill.device_name}, ${drill.holder}`} />
          <p className="sub mb-0">
            <Mark look={DRILL_STATES[drill.state]} /> · from {drill.store_name}
            {drill.backup_id && drill.backup_at && (
              <>
                , moment{' '}
                <Link to={`/backups/${drill.backup_id}`}>
                  <When at={drill.backup_at} />
                </Link>
              </>
            )}
          </p>
        </div>
        {isActive(drill) && may('keep') && (
          <Button variant="outline-danger" disabled={stop.busy || drill.stop_asked} onClick={() => stop.go()}>
            {drill.stop_asked ? 'Stopping …' : 'Stop this drill'}
          </Button>
        )}
      </div>
      <Refused problem={stop.problem} />
      <Facts drill={drill} />
      <Found title="Could not be given back" of={drill.lost} says="A check of the whole store was asked for; another store may have it." />
      <Found title="Came back otherwise than it was stored" of={drill.differing} says="A check of the whole store was asked for." />
      <Found
        title="Is as it came, and does not open"
        of={drill.unopened}
        says="The backup is right: it was so on the device. Whoever holds it may want to know."
      />
    </>
  );
}

function Facts({ drill }: { drill: Drill }) {
  const { done_bytes: done = 0, total_bytes: total = 0 } = drill.progress;
  return (
    <dl className="facts sheet pad">
      {drill.state === 'running' && total > 0 && (
        <>
          <dt>So far</dt>
          <dd>
            <progress value={done} max={total} aria-label="Progress of the drill" /> {Math.floor((done / total) * 100)} %
          </dd>
        </>
      )}
      {!isActive(drill) && (
        <>
          <dt>Came back right</dt>
          <dd>
            {came(drill)} <span className="quiet">{whyNotAll(drill)}</span>
          </dd>
          <dt>Opened</dt>
          <dd>{openedWords(drill.opened)}</dd>
        </>
      )}
      <dt>Asked</dt>
      <dd>
        <When at={drill.asked_at} /> by {drill.by_name}
      </dd>
      {drill.finished_at && (
        <>
          <dt>Ended</dt>
          <dd>
            <When at={drill.finished_at} />; the scratch place is empty again
          </dd>
        </>
      )}
      {drill.cause && (
        <>
          <dt>Why</dt>
          <dd>
            {drill.cause} {drill.remedy}
          </dd>
        </>
      )}
    </dl>
  );
}

function Found({ title, of, says }: { title: string; of: Drill['lost']; says: string }) {
  const { count } = of;
  if (count === 0) return null;
  const more = count - of.named.length;
  return (
    <section>
      <h2>
        {title} <small>{counted(count, 'item')}</small>
      </h2>
      <p className="sub">{says}</p>
      <div className="sheet scroll">
        <Table columns={NAMED} rows={of.named} keyOf={(row) => `${row.kind} ${row.name} ${row.says}`} />
        {more > 0 && <p className="pad mb-0 quiet">and {counted(more, 'more', 'more')}</p>}
      </div>
    </section>
  );
}
