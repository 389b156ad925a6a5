/** Who is told what: my own wishes, other programs, and what went or did not. */
import { useMutation, useQuery, useQueryClient, keepPreviousData } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe } from '../../api/queries';
import { Field } from '../../ui/Field';
import { MESSAGE_STATES, Mark } from '../../ui/Mark';
import { OfficeTabs } from '../../ui/OfficeTabs';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { Hooks } from './Hooks';

const PAGE = 20;

export function TellingScreen() {
  const me = useMe();
  const wishes = useQuery({ queryKey: ['wishes'], queryFn: () => told(client.GET('/api/me/wishes')) });
  const role = me.data?.user?.role;
  return (
    <>
      <h1 tabIndex={-1}>Office</h1>
      <p className="sub">Nothing is told twice: an alert comes once for each thing that begins to need a person, the digest repeats what is open.</p>
      <OfficeTabs />
      <div className="halves">
        <div className="stack">
          {wishes.isError && <Failed problem={problemOf(wishes.error)} onRetry={() => void wishes.refetch()} />}
          {wishes.data && <MyWishes key={JSON.stringify(wishes.data)} first={wishes.data} />}
          {role === 'administrator' && <AskHolders />}
        </div>
        {role !== 'auditor' && role && <Hooks mayChange={role === 'administrator'} />}
      </div>
      {role !== 'auditor' && role && <Messages />}
    </>
  );
}

function MyWishes({ first }: { first: Schemas['Wishes'] }) {
  const [body, setBody] = useState(first);
  const queries = useQueryClient();
  const save = useMutation({ mutationFn: () => told(client.PUT('/api/me/wishes', { body })), onSuccess: () => queries.invalidateQueries({ queryKey: ['wishes'] }) });
  const problem = save.error ? problemOf(save.error) : null;
  const changed = JSON.stringify(body) !== JSON.stringify(first);
  return (
    <form
      className="sheet pad"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <h2>What I want to be told</h2>
      <Refused problem={problem} />
      <Field label="E-mail" type="email" value={body.email} onChange={(email) => setBody({ ...body, email })} problem={problem} field="email" />
      <label className="check">
        <input type="checkbox" checked={body.wants_digest} onChange={(event) => setBody({ ...body, wants_digest: event.target.checked })} />
        <span>The state of the office every morning</span>
      </label>
      {body.wants_digest && <Field label="At" type="time" value={body.digest_at.slice(0, 5)} onChange={(digest_at) => setBody({ ...body, digest_at })} />}
      <label className="check">
        <input type="checkbox" checked={body.wants_alerts} onChange={(event) => setBody({ ...body, wants_alerts: event.target.checked })} />
        <span>At once when something begins to need a person</span>
      </label>
      {body.wants_alerts && (
        <div className="halves">
          <Field label="But not from" type="time" value={(body.quiet_from ?? '').slice(0, 5)} onChange={(value) => setBody({ ...body, quiet_from: value || null })} hint="Quiet hours; empty for none." />
          <Field label="until" type="time" value={(body.quiet_until ?? '').slice(0, 5)} onChange={(value) => setBody({ ...body, quiet_until: value || null })} problem={problem} field="quiet_until" />
        </div>
      )}
      <Button type="submit" size="sm" disabled={!changed || save.isPending}>
        {changed ? 'Save' : 'Saved'}
      </Button>
    </form>
  );
}

function AskHolders() {
  const me = useMe();
  const queries = useQueryClient();
  const office = me.data?.office;
  const save = useMutation({
    mutationFn: (body: Schemas['OfficeRequest']) => told(client.PUT('/api/office', { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['me'] }),
  });
  if (!office) return null;
  return (
    <section className="sheet pad">
      <h2>Asking holders</h2>
      <Refused problem={save.error ? problemOf(save.error) : null} />
      <label className="check">
        <input type="checkbox" checked={office.asks_holders} disabled={save.isPending} onChange={(event) => save.mutate({ ...office, asks_holders: event.target.checked })} />
        <span>Write to the holder, once each time, where only they can help: a locked device, one without power, one that asks for a yes</span>
      </label>
      <Field label="Not before" type="time" value={office.asks_holders_at.slice(0, 5)} onChange={(asks_holders_at) => save.mutate({ ...office, asks_holders_at })} hint="While they are still in the office. Addresses stand on the holders’ pages." />
    </section>
  );
}

function Messages() {
  const [page, setPage] = useState(1);
  const messages = useQuery({
    queryKey: ['messages', page],
    queryFn: () => told(client.GET('/api/messages', { params: { query: { page, page_size: PAGE } as never } })),
    placeholderData: keepPreviousData,
    refetchInterval: 30_000,
  });
  return (
    <section className="mt-3">
      <h2>What was told</h2>
      <div className="sheet scroll">
        {messages.isPending && <Loading what="messages" />}
        {messages.isError && <Failed problem={problemOf(messages.error)} onRetry={() => void messages.refetch()} />}
        {messages.data?.results.length === 0 && <Empty>Nobody has been told anything yet.</Empty>}
        {messages.data && messages.data.results.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">When</th>
                <th scope="col">State</th>
                <th scope="col">Whom</th>
                <th scope="col">What</th>
                <th scope="col">Why not</th>
              </tr>
            </thead>
            <tbody>
              {messages.data.results.map((row) => (
                <tr key={row.id}>
                  <td className="nowrap">
                    <When at={row.sent_at ?? row.made_at} />
                  </td>
                  <td>
                    <Mark look={MESSAGE_STATES[row.state]} />
                  </td>
                  <td>{row.whom}</td>
                  <td>
                    <details>
                      <summary>{row.subject}</summary>
                      <pre className="letter">{row.body}</pre>
                    </details>
                  </td>
                  <td className="last-word">{row.error}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <Pager page={page} pageSize={PAGE} count={messages.data?.count ?? 0} onPage={setPage} />
      </div>
    </section>
  );
}
