/** What needed a person, from its first day to its last; one matter opens beside the list. */
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

export function MattersScreen() {
  const [params, setParams] = useSearchParams();
  const page = Number(params.get('page') ?? 1);
  const open = params.get('open') ?? '';
  const chosen = params.get('matter') ?? '';
  const matters = useQuery({
    queryKey: key('matters', open, page),
    queryFn: () =>
      told(client.GET('/api/matters', { params: { query: { ...(open ? { open: open === 'true' } : {}), page, page_size: PAGE } } })),
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
          {matters.isPending && <Loading what="matters" />}
          {matters.isLoadingError && <Failed problem={problemOf(matters.error)} onRetry={() => void matters.refetch()} />}
          {matters.data?.results.length === 0 && <Empty>{open ? 'None.' : 'Nothing has needed a person yet.'}</Empty>}
          {matters.data && matters.data.results.length > 0 && (
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
                {matters.data.results.map((matter) => (
                  <tr key={matter.id} className={matter.id === chosen ? 'chosen' : 'linked'}>
                    <td>
                      <Mark look={CAUSE_MARKS[matter.mark]} wordless />{' '}
                      <button
                        type="button"
                        className="linklike"
                        aria-pressed={matter.id === chosen}
                        onClick={() => set('matter', matter.id === chosen ? '' : matter.id)}
                      >
                        {matter.says}
                      </button>
                      {matter.put_off_until && !matter.closed_at && (
                        <div className="tone-off">
                          put off until {plainDay(matter.put_off_until)}: {matter.put_off_why}
                        </div>
                      )}
                    </td>
                    <td className="last-word">
                      {matter.devices.slice(0, 4).join('; ')}
                      {matter.devices.length > 4 ? ` and ${matter.devices.length - 4} more` : ''}
                    </td>
                    <td className="nowrap">
                      <When at={matter.opened_at} />
                    </td>
                    <td className="nowrap">
                      {matter.closed_at ? (
                        spoken((new Date(matter.closed_at).getTime() - new Date(matter.opened_at).getTime()) / 1000)
                      ) : (
                        <b>open</b>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <Pager page={page} pageSize={PAGE} count={matters.data?.count ?? 0} onPage={(next) => set('page', String(next))} />
        </div>
        {chosen && <OneMatter id={chosen} />}
      </div>
    </>
  );
}

function OneMatter({ id }: { id: string }) {
  const may = useMay();
  const matter = useQuery({
    queryKey: key('matters', id),
    queryFn: () => told(client.GET('/api/matters/{id}', { params: { path: { id } } })),
  });
  const takeUp = useAct(() => client.DELETE('/api/matters/{id}/put-off', { params: { path: { id } } }), 'matter');
  if (matter.isPending) return <Loading what="the matter" />;
  if (matter.isLoadingError) return <Failed problem={problemOf(matter.error)} />;
  const found = matter.data;
  return (
    <section aria-label={found.says}>
      <h2>{found.says}</h2>
      <ul className="log sheet pad">
        {found.events.map((event, n) => (
          <li key={`${event.at} ${n}`}>
            <When at={event.at} />
            <span>
              {event.says} {event.who && <span className="quiet">{event.who}</span>}
            </span>
          </li>
        ))}
      </ul>
      {found.put_off_until && !found.closed_at && may('settle') && (
        <Button size="sm" variant="outline-primary" className="mt-2" disabled={takeUp.busy} onClick={() => takeUp.go()}>
          Take it up again
        </Button>
      )}
    </section>
  );
}
