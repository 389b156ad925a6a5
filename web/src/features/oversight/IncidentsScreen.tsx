/** What needed a person, from its first day to its last; one incident opens beside the list. */
import { useQuery, keepPreviousData } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { useSearchParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { plainDay, spoken } from '../../ui/format';
import { CAUSE_MARKS, Mark } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';

const PAGE = 50;

export function IncidentsScreen() {
  const [params, setParams] = useSearchParams();
  const page = Number(params.get('page') ?? 1);
  const open = params.get('open') ?? '';
  const chosen = params.get('incident') ?? '';
  const incidents = useQuery({
    queryKey: key('incidents', open, page),
    queryFn: () =>
      told(client.GET('/api/incidents', { params: { query: { ...(open ? { open: open === 'true' } : {}), page, page_size: PAGE } } })),
    placeholderData: keepPreviousData,
  });
  const set = (name: string, value: string) =>
    setParams((before) => {
      if (value) before.set(name, value);
      else before.delete(name);
      if (name === 'open') before.delete('page');
      return before;
    });
  return (
    <>
      <div className="head">
        <div>
          <Heading title="What needed a person" />
          <p className="sub mb-0">Each cause from its first day to its last. It closes by itself when it is gone.</p>
        </div>
        <select
          className="form-select form-select-sm w-auto"
          aria-label="Which"
          value={open}
          onChange={(event) => set('open', event.target.value)}
        >
          <option value="">open and closed</option>
          <option value="true">open</option>
          <option value="false">closed</option>
        </select>
      </div>
      <div className={chosen ? 'cols' : ''}>
        <div className="sheet scroll">
          {incidents.isPending && <Loading what="incidents" />}
          {incidents.isLoadingError && <Failed problem={problemOf(incidents.error)} onRetry={() => void incidents.refetch()} />}
          {incidents.data?.results.length === 0 && <Empty>{open ? 'None.' : 'Nothing has needed a person yet.'}</Empty>}
          {incidents.data && incidents.data.results.length > 0 && (
            <table className="rows">
              <thead>
                <tr>
                  <th scope="col">What</th>
                  <th scope="col">Devices</th>
                  <th scope="col">Began</th>
                  <th scope="col">Lasted</th>
                </tr>
              </thead>
              <tbody>
                {incidents.data.results.map((incident) => (
                  <tr key={incident.id} className={incident.id === chosen ? 'chosen' : 'linked'}>
                    <td>
                      <Mark look={CAUSE_MARKS[incident.mark]} wordless />{' '}
                      <button
                        type="button"
                        className="linklike"
                        aria-pressed={incident.id === chosen}
                        onClick={() => set('incident', incident.id === chosen ? '' : incident.id)}
                      >
                        {incident.says}
                      </button>
                      {incident.put_off_until && !incident.closed_at && (
                        <div className="tone-off">
                          put off until {plainDay(incident.put_off_until)}: {incident.put_off_why}
                        </div>
                      )}
                    </td>
                    <td className="last-word">
                      {incident.devices.slice(0, 4).join('; ')}
                      {incident.devices.length > 4 ? ` and ${incident.devices.length - 4} more` : ''}
                    </td>
                    <td className="nowrap">
                      <When at={incident.opened_at} />
                    </td>
                    <td className="nowrap">
                      {incident.closed_at ? (
                        spoken((new Date(incident.closed_at).getTime() - new Date(incident.opened_at).getTime()) / 1000)
                      ) : (
                        <b>open</b>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <Pager page={page} pageSize={PAGE} count={incidents.data?.count ?? 0} onPage={(next) => set('page', String(next))} />
        </div>
        {chosen && <OneIncident id={chosen} />}
      </div>
    </>
  );
}

function OneIncident({ id }: { id: string }) {
  const may = useMay();
  const incident = useQuery({
    queryKey: key('incidents', id),
    queryFn: () => told(client.GET('/api/incidents/{id}', { params: { path: { id } } })),
  });
  const takeUp = useAct(() => client.DELETE('/api/incidents/{id}/put-off', { params: { path: { id } } }), 'incident');
  if (incident.isPending) return <Loading what="the incident" />;
  if (incident.isLoadingError) return <Failed problem={problemOf(incident.error)} />;
  const details = incident.data;
  return (
    <section aria-label={details.says}>
      <h2>{details.says}</h2>
      <ul className="log sheet pad">
        {details.events.map((event, n) => (
          <li key={`${event.at} ${n}`}>
            <When at={event.at} />
            <span>
              {event.says} {event.who && <span className="quiet">{event.who}</span>}
            </span>
          </li>
        ))}
      </ul>
      {details.put_off_until && !details.closed_at && may('settle') && (
        <Button size="sm" variant="outline-primary" className="mt-2" disabled={takeUp.busy} onClick={() => takeUp.go()}>
          Take it up again
        </Button>
      )}
    </section>
  );
}
