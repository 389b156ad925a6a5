/** One holder: the devices in their hands and how each stands. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe, useNames } from '../../api/queries';
import { AgeRuler, RulerAxis } from '../../ui/AgeRuler';
import { counted, plainDay } from '../../ui/format';
import { Field } from '../../ui/Field';
import { Mark, STANDINGS } from '../../ui/Mark';
import { useNow } from '../../ui/Office';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { lastWord } from './words';

type Holder = Schemas['HolderDetail'];

export function HolderScreen() {
  const { id = '' } = useParams();
  const now = useNow();
  const me = useMe();
  const holder = useQuery({ queryKey: ['holders', id], queryFn: () => told(client.GET('/api/holders/{id}', { params: { path: { id: Number(id) } } })) });
  if (holder.isPending) return <Loading what="the holder" />;
  if (holder.isError) return <Failed problem={problemOf(holder.error)} onRetry={() => void holder.refetch()} />;
  const found = holder.data;
  return (
    <>
      <h1 tabIndex={-1}>
        {found.name} <span className="quiet fw-normal">{found.team}</span>
      </h1>
      <p className="sub">
        {counted(found.rows.length, 'device')} in their hands. <Link to={`/history?holder=${found.id}`}>Their runs</Link> · <Link to="/teams">All teams and holders</Link>
      </p>
      <div className="sheet scroll">
        {found.rows.length === 0 && <Empty>Nothing is in their hands.</Empty>}
        {found.rows.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">State</th>
                <th scope="col">Device</th>
                <th scope="col">Handed over</th>
                <th scope="col">Last word</th>
                <th scope="col">
                  Age of the newest good backup
                  <RulerAxis />
                </th>
                <th scope="col">Plan</th>
              </tr>
            </thead>
            <tbody>
              {found.rows.map((row) => (
                <tr key={row.id} className="linked">
                  <td><Mark look={STANDINGS[row.standing]} /></td>
                  <td className="nowrap">
                    <Link className="title-link" to={`/devices/${row.id}`}>{row.name}</Link> <span className="quiet">{row.serial}</span>
                  </td>
                  <td className="nowrap">{row.handed_over_on ? plainDay(row.handed_over_on) : '–'}</td>
                  <td className="quiet last-word">{lastWord(row)}</td>
                  <td><AgeRuler newestAt={row.newest_at} promiseSeconds={row.promise_seconds} now={now} /></td>
                  <td>{row.plan_name || <span className="quiet">none</span>}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
      {me.data?.user?.role === 'administrator' && <ChangeHolder key={found.name + found.team + found.email} holder={found} />}
    </>
  );
}

function ChangeHolder({ holder }: { holder: Holder }) {
  const names = useNames();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [body, setBody] = useState({ name: holder.name, team: holder.team, email: holder.email });
  const path = { params: { path: { id: holder.id } } };
  const save = useMutation({ mutationFn: () => told(client.PUT('/api/holders/{id}/change', { ...path, body })), onSuccess: () => queries.invalidateQueries() });
  const remove = useMutation({
    mutationFn: () => told(client.DELETE('/api/holders/{id}/change', path)),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['names'] });
      void navigate('/teams');
    },
  });
  const problem = save.error ? problemOf(save.error) : remove.error ? problemOf(remove.error) : null;
  return (
    <form
      className="sheet pad mt-3"
      style={{ maxWidth: 620 }}
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <h2>Change</h2>
      <Refused problem={problem} />
      <div className="halves">
        <Field label="Name" value={body.name} onChange={(name) => setBody({ ...body, name })} problem={problem} field="name" />
        <Field label="Team of this person" value={body.team} onChange={(team) => setBody({ ...body, team })} suggestions={names.data?.teams} />
      </div>
      <Field label="E-mail" type="email" value={body.email} onChange={(email) => setBody({ ...body, email })} problem={problem} field="email" hint="Used only where nobody but the holder can help with a backup." />
      <div className="row-end">
        <Button type="submit" disabled={save.isPending}>Save</Button>
        {holder.rows.length === 0 && <Button variant="outline-danger" disabled={remove.isPending} onClick={() => remove.mutate()}>Remove</Button>}
      </div>
    </form>
  );
}
