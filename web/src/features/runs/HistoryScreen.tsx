/** Every run, newest first, filterable; the filters live in the address. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { Link, useNavigate, useSearchParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { usePlans, useRuns, useRunTotals, useStores, useTeams, type RunsWanted } from '../../api/queries';
import { Bytes } from '../../ui/Bytes';
import { counted, grouped, iec, plainDay, spoken } from '../../ui/format';
import { Mark, RUN_STATES } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading } from '../../ui/States';

const PAGE = 50;

const FILTERS = ['device', 'holder', 'team', 'plan', 'store', 'night', 'first', 'last', 'state', 'outcome', 'trigger', 'cause', 'at_least_bytes', 'words'] as const;
const MIB = 1024 ** 2;

export function HistoryScreen() {
  const [params, setParams] = useSearchParams();
  const page = Number(params.get('page') ?? 1);
  const wanted = Object.fromEntries(FILTERS.map((name) => [name, params.get(name) ?? undefined])) as RunsWanted;
  const runs = useRuns({ ...wanted, page, page_size: PAGE });
  const totals = useRunTotals(wanted);
  const navigate = useNavigate();
  const [chosen, setChosen] = useState<string[]>([]);
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
  const query = new URLSearchParams(Object.entries(wanted).filter((entry): entry is [string, string] => Boolean(entry[1]))).toString();
  const choose = (id: string) => setChosen(chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen.slice(-1), id]);
  return (
    <>
      <div className="head">
        <div>
          <h1 tabIndex={-1}>History</h1>
          <p className="sub mb-0">
            {wanted.night && (
              <>
                The night of {plainDay(wanted.night)}, <Link to={`/night?night=${wanted.night}`}>as a chart</Link>.{' '}
              </>
            )}
            {totals.data && totalsSentence(totals.data)}
          </p>
        </div>
        <div className="row-end">
          {chosen.length === 2 && (
            <Button size="sm" onClick={() => void navigate(`/history/${chosen[0] ?? ''}/with/${chosen[1] ?? ''}`)}>
              Compare both
            </Button>
          )}
          <a href={`/api/runs/export.csv?${query}`}>CSV</a>
          <a href={`/api/runs/export.json?${query}`}>JSON</a>
          <Link to="/report">The month on paper</Link>
        </div>
      </div>
      <Filters wanted={wanted} set={set} onClear={filtered ? () => setParams({}) : null} />
      <div className="sheet scroll">
        {runs.isPending && <Loading what="the history" />}
        {runs.isError && <Failed problem={problemOf(runs.error)} onRetry={() => void runs.refetch()} />}
        {runs.data?.results.length === 0 && <Empty>{filtered ? 'No run matches these filters.' : 'No run yet.'}</Empty>}
        {runs.data && runs.data.results.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">
                  <span className="visually-hidden">Compare</span>
                </th>
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
                <tr key={run.id} className={chosen.includes(run.id) ? 'chosen' : 'linked'}>
                  <td className="tick">
                    <input type="checkbox" aria-label={`Compare the run of ${run.device_name}, ${run.holder}, night ${run.night}`} checked={chosen.includes(run.id)} onChange={() => choose(run.id)} />
                  </td>
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
        <Pager page={page} pageSize={PAGE} count={runs.data?.count ?? 0} most={10_000} onPage={(next) => set('page', String(next))} />
      </div>
    </>
  );
}

function totalsSentence(totals: Schemas['Totals']): string {
  if (totals.runs === 0) return '';
  const parts = [counted(totals.runs, 'run'), `${grouped(totals.came)} came`, `${grouped(totals.did_not)} did not`, `${iec(totals.stored_bytes)} new`];
  if (totals.average_seconds !== null) parts.push(`${spoken(Math.max(1, totals.average_seconds))} each`);
  return parts.join(', ');
}

function Filters({ wanted, set, onClear }: { wanted: RunsWanted; set: (name: string, value: string) => void; onClear: (() => void) | null }) {
  const stores = useStores();
  const plans = usePlans();
  const teams = useTeams();
  const causes = useQuery({ queryKey: ['runs', 'causes'], queryFn: () => told(client.GET('/api/runs/causes')) });
  const pick = (name: keyof RunsWanted, all: string, options: { value: string; label: string }[] | undefined) => (
    <Form.Select size="sm" aria-label={all.replace('every ', '')} value={String(wanted[name] ?? '')} onChange={(event) => set(name, event.target.value)}>
      <option value="">{all}</option>
      {options?.map((option) => (
        <option key={option.value} value={option.value}>
          {option.label}
        </option>
      ))}
    </Form.Select>
  );
  const states = Object.entries(RUN_STATES).map(([value, look]) => ({ value, label: look.word }));
  return (
    <div className="filters">
      <Form.Control size="sm" type="search" className="w-auto" aria-label="Find by device, holder or team" placeholder="Device, holder, team" value={wanted.words ?? ''} onChange={(event) => set('words', event.target.value)} />
      {pick('outcome', 'came or not', [{ value: 'came', label: 'came' }, { value: 'did_not', label: 'did not come' }, { value: 'active', label: 'under way' }])}
      {pick('state', 'every outcome', states)}
      {pick('cause', 'every cause', causes.data?.map((cause) => ({ value: cause.code, label: `${cause.says.slice(0, 46)} (${cause.runs})` })))}
      {pick('team', 'every team', teams.data?.map((team) => ({ value: String(team.id), label: team.name })))}
      {pick('plan', 'every plan', plans.data?.map((plan) => ({ value: plan.id, label: plan.name })))}
      {pick('store', 'every store', stores.data?.map((store) => ({ value: store.id, label: store.name })))}
      <span className="inline">
        from
        <Form.Control size="sm" type="date" value={wanted.first ?? wanted.night ?? ''} onChange={(event) => set('first', event.target.value)} aria-label="First night" />
      </span>
      <span className="inline">
        to
        <Form.Control size="sm" type="date" value={wanted.last ?? wanted.night ?? ''} onChange={(event) => set('last', event.target.value)} aria-label="Last night" />
      </span>
      <span className="inline">
        new, MiB
        <Form.Control size="sm" type="number" min={0} className="number" aria-label="New in the store, at least, in MiB" value={wanted.at_least_bytes ? Number(wanted.at_least_bytes) / MIB : ''} onChange={(event) => set('at_least_bytes', Number(event.target.value) > 0 ? String(Math.round(Number(event.target.value) * MIB)) : '')} />
      </span>
      {(wanted.device || wanted.holder) && <span className="quiet">of one {wanted.device ? 'device' : 'holder'}</span>}
      {onClear && (
        <button type="button" className="chip" onClick={onClear}>
          show all
        </button>
      )}
    </div>
  );
}
