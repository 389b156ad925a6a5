/** Every run, newest first, filterable; the filters live in the address. */
import Form from 'react-bootstrap/Form';
import { Link, useSearchParams } from 'react-router';

import { problemOf } from '../../api/client';
import { useRuns, useStores } from '../../api/queries';
import { Bytes } from '../../ui/Bytes';
import { counted, plainDay } from '../../ui/format';
import { Mark, RUN_STATES } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading } from '../../ui/States';

const PAGE = 50;

export function HistoryScreen() {
  const [params, setParams] = useSearchParams();
  const page = Number(params.get('page') ?? 1);
  const get = (name: string) => params.get(name) ?? undefined;
  const wanted = { device: get('device'), night: get('night'), state: get('state'), store: get('store'), words: get('words') };
  const runs = useRuns({ ...wanted, page, page_size: PAGE });
  const stores = useStores();
  const set = (name: string, value: string) =>
    setParams(
      (before) => {
        if (value) before.set(name, value);
        else before.delete(name);
        if (name !== 'page') before.delete('page');
        return before;
      },
      { replace: name !== 'page' },
    );
  const filtered = Object.values(wanted).some(Boolean);
  return (
    <>
      <div className="head">
        <div>
          <h1 tabIndex={-1}>History</h1>
          <p className="sub mb-0">
            {wanted.night ? `The night of ${plainDay(wanted.night)}. ` : ''}
            {runs.data ? counted(runs.data.count, 'run') : ''}
          </p>
        </div>
        <div className="row-end">
          <Form.Control
            size="sm"
            type="search"
            className="w-auto"
            aria-label="Find by device, holder or team"
            placeholder="Device, holder, team"
            value={wanted.words ?? ''}
            onChange={(event) => set('words', event.target.value)}
          />
          <Form.Select size="sm" className="w-auto" aria-label="Outcome" value={wanted.state ?? ''} onChange={(event) => set('state', event.target.value)}>
            <option value="">every outcome</option>
            {Object.entries(RUN_STATES).map(([state, look]) => (
              <option key={state} value={state}>
                {look.word}
              </option>
            ))}
          </Form.Select>
          <Form.Select size="sm" className="w-auto" aria-label="Store" value={wanted.store ?? ''} onChange={(event) => set('store', event.target.value)}>
            <option value="">every store</option>
            {stores.data?.map((store) => (
              <option key={store.id} value={store.id}>
                {store.name}
              </option>
            ))}
          </Form.Select>
          <Form.Control size="sm" type="date" className="w-auto" aria-label="Night" value={wanted.night ?? ''} onChange={(event) => set('night', event.target.value)} />
          {filtered && (
            <button type="button" className="chip" onClick={() => setParams({})}>
              show all
            </button>
          )}
        </div>
      </div>
      <div className="sheet scroll">
        {runs.isPending && <Loading what="the history" />}
        {runs.isError && <Failed problem={problemOf(runs.error)} onRetry={() => void runs.refetch()} />}
        {runs.data?.results.length === 0 && <Empty>{filtered ? 'No run matches these filters.' : 'No run yet.'}</Empty>}
        {runs.data && runs.data.results.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">When</th>
                <th scope="col">Outcome</th>
                <th scope="col">Device</th>
                <th scope="col">Store</th>
                <th scope="col" className="num">
                  Size
                </th>
                <th scope="col" className="num">
                  New
                </th>
                <th scope="col">Encrypted</th>
                <th scope="col">Cause</th>
              </tr>
            </thead>
            <tbody>
              {runs.data.results.map((run) => (
                <tr key={run.id} className="linked">
                  <td className="nowrap">
                    <Link className="title-link" to={`/history/${run.id}`}>
                      <When at={run.finished_at ?? run.started_at ?? run.asked_at} />
                    </Link>
                  </td>
                  <td>
                    <Mark look={RUN_STATES[run.state]} />
                  </td>
                  <td className="nowrap">
                    {run.device_name} <span className="quiet">{run.holder}</span>
                  </td>
                  <td className="nowrap">{run.store_name}</td>
                  <td className="num">
                    <Bytes count={run.size_bytes} />
                  </td>
                  <td className="num">{run.backup_id ? <Bytes count={run.stored_bytes} /> : '–'}</td>
                  <td>{run.encrypted === null ? '–' : run.encrypted ? 'yes' : 'no'}</td>
                  <td>{run.cause || (run.trigger === 'by_hand' ? <span className="quiet">by hand</span> : '')}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <Pager page={page} pageSize={PAGE} count={runs.data?.count ?? 0} onPage={(next) => set('page', String(next))} />
      </div>
    </>
  );
}
