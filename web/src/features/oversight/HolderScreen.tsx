/** One holder: the devices in their hands and how each stands. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useNames } from '../../api/queries';
import { useSave } from '../../api/save';
import { Form } from '../../ui/forms/Form';
import { DeviceRuler } from '../../parts/DeviceRuler';
import { RulerAxis } from '../../ui/AgeRuler';
import { counted, plainDay } from '../../ui/format';
import { Field } from '../../ui/forms/Field';
import { Mark, STANDINGS } from '../../ui/Mark';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Empty, Loading } from '../../ui/States';
import { HasLeft } from './HasLeft';
import { lastRun } from './words';

type Holder = Schemas['HolderDetail'];

export function HolderScreen() {
  const { id = '' } = useParams();
  const may = useMay();
  const holder = useQuery({
    queryKey: key('holders', id),
    queryFn: () => told(client.GET('/api/holders/{id}', { params: { path: { id: Number(id) } } })),
  });
  if (holder.isPending) return <Loading what="the holder" />;
  if (holder.isLoadingError) return <FailedScreen problem={problemOf(holder.error)} onRetry={() => void holder.refetch()} />;
  const details = holder.data;
  return (
    <>
      <Heading title={details.name}>
        {details.name} <span className="quiet fw-normal">{details.team}</span>
      </Heading>
      <p className="sub">
        {counted(details.rows.length, 'device')} in their hands. <Link to={`/history?holder=${details.id}`}>Their runs</Link> ·{' '}
        <Link to="/teams">All teams and holders</Link> <EraseLink holder={details.id} />
      </p>
      <div className="sheet scroll">
        {details.rows.length === 0 && <Empty>Nothing is in their hands.</Empty>}
        {details.rows.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">State</th>
                <th scope="col">Device</th>
                <th scope="col">Handed over</th>
                <th scope="col">Last run</th>
                <th scope="col">
                  Age of the newest good backup
                  <RulerAxis />
                </th>
                <th scope="col">Plan</th>
              </tr>
            </thead>
            <tbody>
              {details.rows.map((row) => (
                <tr key={row.id} className="linked">
                  <td>
                    <Mark look={STANDINGS[row.standing]} />
                  </td>
                  <td className="nowrap">
                    <Link className="title-link" to={`/devices/${row.id}`}>
                      {row.name}
                    </Link>{' '}
                    <span className="quiet">{row.serial}</span>
                  </td>
                  <td className="nowrap">{row.handed_over_on ? plainDay(row.handed_over_on) : '–'}</td>
                  <td className="quiet last-word">{lastRun(row)}</td>
                  <td>
                    <DeviceRuler row={row} />
                  </td>
                  <td>{row.plan_name || <span className="quiet">none</span>}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
      {may('set_up') && <ChangeHolder key={details.id} holder={details} />}
    </>
  );
}

function ChangeHolder({ holder }: { holder: Holder }) {
  const names = useNames();
  const navigate = useNavigate();
  const [body, setBody] = useState({ name: holder.name, team: holder.team, email: holder.email });
  const path = { params: { path: { id: holder.id } } };
  const save = useSave(
    (given: typeof body) => client.PUT('/api/holders/{id}/change', { ...path, body: given }),
    { name: holder.name, team: holder.team, email: holder.email },
    ['people', 'device'],
    { again: () => ({ name: body.name.trim(), team: body.team.trim(), email: body.email.trim() }) },
  );
  const remove = useAct(
    () => client.DELETE('/api/holders/{id}/change', path),
    'people',
    () => void navigate('/teams'),
  );
  const problem = save.problem ?? remove.problem;
  return (
    <>
      <HasLeft holder={holder} />
      <Form
        className="sheet pad mt-3 narrow"
        unsaved={!remove.done && (body.name !== holder.name || body.team !== holder.team || body.email !== holder.email)}
        onSubmit={() => save.go(body)}
        problem={problem}
        onOver={save.over}
      >
        <h2>Change</h2>
        <div className="halves">
          <Field label="Name" value={body.name} onChange={(name) => setBody({ ...body, name })} field="name" />
          <Field
            label="Team of this person"
            value={body.team}
            onChange={(team) => setBody({ ...body, team })}
            suggestions={names.data?.teams}
          />
        </div>
        <Field
          label="E-mail"
          type="email"
          value={body.email}
          onChange={(email) => setBody({ ...body, email })}
          field="email"
          hint="Used only where nobody but the holder can help with a backup."
        />
        <div className="row-end">
          <Button type="submit" disabled={save.busy}>
            Save
          </Button>
          {holder.rows.length === 0 && (
            <Button variant="outline-danger" disabled={remove.busy} onClick={() => remove.go()}>
              Remove
            </Button>
          )}
        </div>
      </Form>
    </>
  );
}

function EraseLink({ holder }: { holder: number }) {
  const may = useMay();
  if (!may('remove')) return null;
  return (
    <>
      {' '}
      · <Link to={`/erasing/ask?holder=${holder}`}>Erase this person …</Link>
    </>
  );
}
