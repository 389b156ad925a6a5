/** Devices by weeks: how many moments of each week can be restored. A blank is a week that nobody can go back to. */
import { useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useTeams } from '../../api/queries';
import { useAddress } from '../../ui/address';
import { counted, plainDay } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { Heading } from '../../ui/Screen';
import { Scroll } from '../../ui/Scroll';
import { Empty, Failed, Loading } from '../../ui/States';
import { isoWeek } from './weeks';

type Points = Schemas['Points'];

const SPANS = [13, 26, 52].map((weeks) => ({ value: String(weeks), label: `${weeks} weeks` }));

export function PointsScreen() {
  const address = useAddress();
  const wanted = { weeks: Number(address.oneOf('weeks', ['13', '26', '52']) ?? 26), team: Number(address.get('team')) || undefined };
  const query = { weeks: wanted.weeks, ...(wanted.team ? { team: wanted.team } : {}) };
  const points = useQuery({
    queryKey: key('backups', 'points', query),
    queryFn: () => told(client.GET('/api/restore-points', { params: { query } })),
  });
  const table = `/api/restore-points.csv?${new URLSearchParams(Object.entries(query).map(([name, value]) => [name, String(value)])).toString()}`;
  return (
    <>
      <div className="head">
        <div>
          <Heading title="Restore points" />
          <p className="sub mb-0">How many moments of each week can be restored now. A blank is a week that nobody can go back to.</p>
        </div>
        <div className="row-end not-printed">
          <a href={table} download>
            Save as CSV
          </a>
          <Button size="sm" variant="outline-primary" onClick={() => window.print()}>
            Print
          </Button>
        </div>
      </div>
      <Filters address={address} weeks={wanted.weeks} />
      {points.isPending && <Loading what="restore points" />}
      {points.isLoadingError && <Failed problem={problemOf(points.error)} onRetry={() => void points.refetch()} />}
      {points.data?.devices.length === 0 && <Empty>No device yet.</Empty>}
      {points.data && points.data.devices.length > 0 && <Matrix points={points.data} />}
    </>
  );
}

function Filters({ address, weeks }: { address: ReturnType<typeof useAddress>; weeks: number }) {
  const teams = useTeams();
  const options = [{ value: '', label: 'every team' }, ...(teams.data ?? []).map((one) => ({ value: String(one.id), label: one.name }))];
  return (
    <div className="filters">
      <Choice label="Weeks" compact value={String(weeks)} onChange={(next) => address.set('weeks', next)} options={SPANS} />
      <Choice label="Team" compact value={address.get('team') ?? ''} onChange={(next) => address.set('team', next)} options={options} />
    </div>
  );
}

function Matrix({ points: { weeks, devices } }: { points: Points }) {
  return (
    <Scroll label="Restore points by device and week" className="sheet">
      <table className="points">
        <thead>
          <tr>
            <th scope="col">Device</th>
            <th scope="col">before</th>
            {weeks.map((week) => (
              <th key={week} scope="col" title={`week from ${plainDay(week)}`}>
                {isoWeek(week)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {devices.map((row) => (
            <tr key={row.device_id}>
              <th scope="row">
                <Link to={`/devices/${row.device_id}`}>{row.device_name}</Link> <span className="quiet">{row.holder}</span>
              </th>
              <td>{row.older || ''}</td>
              {row.counts.map((count, n) => (
                <Cell key={weeks[n]} count={count} week={weeks[n] ?? ''} />
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}

function Cell({ count, week }: { count: number; week: string }) {
  const many = count === 0 ? 'none' : count < 3 ? 'few' : 'many';
  return (
    <td className={`points-${many}`} title={`${counted(count, 'moment')} from the week of ${plainDay(week)}`}>
      {count || ''}
    </td>
  );
}
