/** Teams with what is in their hands, and the holders in them. */
import { useQuery, keepPreviousData } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useTeams } from '../../api/queries';
import { useSave } from '../../api/save';
import { PromiseKept } from '../../parts/PromiseKept';
import { Field } from '../../ui/forms/Field';
import { Find } from '../../ui/forms/Find';
import { Form } from '../../ui/forms/Form';
import { useAddress } from '../../ui/address';
import { Bytes } from '../../ui/Bytes';
import { counted } from '../../ui/format';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';

const PAGE = 50;

export function TeamsScreen() {
  const address = useAddress();
  const { page } = address;
  const team = address.number('team');
  const words = address.get('words') ?? '';
  const teams = useTeams();
  const holders = useQuery({
    queryKey: key('holders', team, words, page),
    queryFn: () => told(client.GET('/api/holders', { params: { query: { team, words, page, page_size: PAGE } } })),
    placeholderData: keepPreviousData,
  });
  const may = useMay();
  const chosen = teams.data?.find((one) => one.id === team);
  return (
    <>
      <Heading title="Teams and holders" />
      <p className="sub">Who carries the devices. Choose a team to see its holders only.</p>
      <div className="halves">
        <section>
          <h2>Teams</h2>
          <div className="sheet scroll">
            {teams.isPending && <Loading what="teams" />}
            {teams.isLoadingError && <Failed problem={problemOf(teams.error)} onRetry={() => void teams.refetch()} />}
            {teams.data?.length === 0 && <Empty>No team yet. A team comes into being when a device is given one.</Empty>}
            <table className="rows">
              <thead>
                <tr>
                  <th scope="col">Team</th>
                  <th scope="col" className="num">
                    Devices
                  </th>
                  <th scope="col">Inside their promise</th>
                  <th scope="col" className="num">
                    Holds
                  </th>
                </tr>
              </thead>
              <tbody>
                {teams.data?.map((one) => (
                  <tr key={one.id} className={one.id === team ? 'linked chosen' : 'linked'}>
                    <td>
                      <button
                        type="button"
                        className="chip"
                        aria-pressed={one.id === team}
                        onClick={() => address.set('team', one.id === team ? undefined : String(one.id))}
                      >
                        {one.name}
                      </button>
                    </td>
                    <td className="num">
                      <Link to={`/devices?team=${one.id}`}>{one.devices}</Link>
                    </td>
                    <td>{one.promised ? `${one.inside} of ${one.promised}` : '–'}</td>
                    <td className="num">
                      <Bytes count={one.held_bytes} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {chosen && (
            <div className="mt-3">
              <PromiseKept team={chosen.id} />
            </div>
          )}
          {chosen && may('set_up') && <ChangeTeam key={chosen.id} team={chosen} onGone={() => address.set('team', undefined)} />}
        </section>
        <section>
          <h2>
            Holders <small>{chosen ? `of ${chosen.name}` : 'of every team'}</small>
          </h2>
          <Find
            label="Find a holder"
            value={words}
            onFind={(next) => address.set('words', next)}
            found={holders.data && counted(holders.data.count, 'holder')}
          />
          <div className="sheet scroll">
            {holders.isPending && <Loading what="holders" />}
            {holders.isLoadingError && <Failed problem={problemOf(holders.error)} />}
            {holders.data?.count === 0 && <Empty>{words || team ? 'No holder matches.' : 'No holder yet.'}</Empty>}
            <table className="rows">
              <tbody>
                {holders.data?.results.map((holder) => (
                  <tr key={holder.id} className="linked">
                    <td>
                      <Link className="title-link" to={`/holders/${holder.id}`}>
                        {holder.name}
                      </Link>
                    </td>
                    <td>{holder.team}</td>
                    <td className="num">{counted(holder.devices, 'device')}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <Pager page={page} pageSize={PAGE} count={holders.data?.count ?? 0} onPage={address.turn} />
          </div>
        </section>
      </div>
    </>
  );
}

function ChangeTeam({ team, onGone }: { team: Schemas['Team']; onGone: () => void }) {
  const [name, setName] = useState(team.name);
  const path = { params: { path: { id: team.id } } };
  const save = useSave(
    (body: { name: string }) => client.PUT('/api/teams/{id}', { ...path, body }),
    { name: team.name },
    ['people', 'device'],
    {
      again: () => ({ name: name.trim() }),
    },
  );
  const remove = useAct(() => client.DELETE('/api/teams/{id}', path), 'people', onGone);
  const error = save.problem ?? remove.problem;
  return (
    <Form className="sheet pad mt-2" onSubmit={() => save.go({ name })} problem={error} onOver={save.over}>
      <div className="row-end">
        <Field compact label="Name of the team" value={name} onChange={setName} field="name" required />
        <Button type="submit" size="sm" variant="outline-primary" disabled={save.busy}>
          Rename
        </Button>
        {team.devices === 0 && (
          <Button size="sm" variant="outline-danger" disabled={remove.busy} onClick={() => remove.go()}>
            Remove the empty team
          </Button>
        )}
      </div>
    </Form>
  );
}
