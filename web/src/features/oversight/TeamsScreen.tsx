/** Teams with what is in their hands, and the holders in them. */
import { useMutation, useQuery, useQueryClient, keepPreviousData } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { Link, useSearchParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe, useTeams } from '../../api/queries';
import { PromiseKept } from '../../parts/PromiseKept';
import { Bytes } from '../../ui/Bytes';
import { counted } from '../../ui/format';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

const PAGE = 50;

export function TeamsScreen() {
  const [params, setParams] = useSearchParams();
  const team = params.get('team') ?? undefined;
  const words = params.get('words') ?? '';
  const page = Number(params.get('page') ?? 1);
  const teams = useTeams();
  const holders = useQuery({
    queryKey: ['holders', team, words, page],
    queryFn: () => told(client.GET('/api/holders', { params: { query: { team, words, page, page_size: PAGE } as never } })),
    placeholderData: keepPreviousData,
  });
  const me = useMe();
  const chosen = teams.data?.find((one) => String(one.id) === team);
  const go = (next: Record<string, string | undefined>) => {
    const all = { team, words: words || undefined, ...next };
    setParams(Object.fromEntries(Object.entries(all).filter(([, value]) => value)) as Record<string, string>, { replace: true });
  };
  return (
    <>
      <h1 tabIndex={-1}>Teams and holders</h1>
      <p className="sub">Who carries the devices. Choose a team to see its holders only.</p>
      <div className="halves">
        <section>
          <h2>Teams</h2>
          <div className="sheet scroll">
            {teams.isPending && <Loading what="teams" />}
            {teams.isError && <Failed problem={problemOf(teams.error)} onRetry={() => void teams.refetch()} />}
            {teams.data?.length === 0 && <Empty>No team yet. A team comes into being when a device is given one.</Empty>}
            <table className="rows">
              <thead>
                <tr>
                  <th scope="col">Team</th>
                  <th scope="col" className="num">Devices</th>
                  <th scope="col">Inside their promise</th>
                  <th scope="col" className="num">Holds</th>
                </tr>
              </thead>
              <tbody>
                {teams.data?.map((one) => (
                  <tr key={one.id} className={String(one.id) === team ? 'linked chosen' : 'linked'}>
                    <td>
                      <button type="button" className="chip" aria-pressed={String(one.id) === team} onClick={() => go({ team: String(one.id) === team ? undefined : String(one.id), page: undefined })}>
                        {one.name}
                      </button>
                    </td>
                    <td className="num">
                      <Link to={`/devices?team=${one.id}`}>{one.devices}</Link>
                    </td>
                    <td>{one.promised ? `${one.inside} of ${one.promised}` : '–'}</td>
                    <td className="num"><Bytes count={one.held_bytes} /></td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {chosen && <div className="mt-3"><PromiseKept team={chosen.id} /></div>}
          {chosen && me.data?.user?.role === 'administrator' && <ChangeTeam key={chosen.id} team={chosen} onGone={() => go({ team: undefined })} />}
        </section>
        <section>
          <h2>
            Holders <small>{chosen ? `of ${chosen.name}` : 'of every team'}</small>
          </h2>
          <Form.Control size="sm" type="search" className="mb-2" aria-label="Find a holder" placeholder="Find" value={words} onChange={(event) => go({ words: event.target.value || undefined, page: undefined })} />
          <div className="sheet scroll">
            {holders.isPending && <Loading what="holders" />}
            {holders.isError && <Failed problem={problemOf(holders.error)} />}
            {holders.data?.count === 0 && <Empty>{words || team ? 'No holder matches.' : 'No holder yet.'}</Empty>}
            <table className="rows">
              <tbody>
                {holders.data?.results.map((holder) => (
                  <tr key={holder.id} className="linked">
                    <td>
                      <Link className="title-link" to={`/holders/${holder.id}`}>{holder.name}</Link>
                    </td>
                    <td>{holder.team}</td>
                    <td className="num">{counted(holder.devices, 'device')}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <Pager page={page} pageSize={PAGE} count={holders.data?.count ?? 0} onPage={(next) => go({ page: String(next) })} />
          </div>
        </section>
      </div>
    </>
  );
}

function ChangeTeam({ team, onGone }: { team: Schemas['Team']; onGone: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState(team.name);
  const path = { params: { path: { id: team.id } } };
  const save = useMutation({ mutationFn: () => told(client.PUT('/api/teams/{id}', { ...path, body: { name } })), onSuccess: () => queries.invalidateQueries() });
  const remove = useMutation({
    mutationFn: () => told(client.DELETE('/api/teams/{id}', path)),
    onSuccess: async () => {
      onGone();
      await queries.invalidateQueries();
    },
  });
  const error = save.error ?? remove.error;
  return (
    <form
      className="sheet pad mt-2"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <Refused problem={error ? problemOf(error) : null} />
      <div className="row-end">
        <Form.Control size="sm" className="w-auto" aria-label="Name of the team" value={name} onChange={(event) => setName(event.target.value)} />
        <Button type="submit" size="sm" variant="outline-primary" disabled={save.isPending}>Rename</Button>
        {team.devices === 0 && (
          <Button size="sm" variant="outline-danger" disabled={remove.isPending} onClick={() => remove.mutate()}>Remove the empty team</Button>
        )}
      </div>
    </form>
  );
}
