/** Who is told what: my own wishes, other programs, and what went or did not. */
import { useQuery, keepPreviousData } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMe } from '../../api/queries';
import { useMay } from '../../api/may';
import { Form } from '../../ui/forms/Form';
import { TimeField } from '../../ui/forms/DateField';
import { Field } from '../../ui/forms/Field';
import { MESSAGE_STATES, Mark } from '../../ui/Mark';
import { OfficeTabs } from '../../ui/OfficeTabs';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { Hooks } from './Hooks';

const PAGE = 20;

export function TellingScreen() {
  const may = useMay();
  const wishes = useQuery({ queryKey: key('wishes'), queryFn: () => told(client.GET('/api/me/wishes')) });
  return (
    <>
      <Heading title="Who is told">Office</Heading>
      <p className="sub">
        Nothing is told twice: an alert comes once for each thing that begins to need a person, the digest repeats what is open.
      </p>
      <OfficeTabs />
      <div className="halves">
        <div className="stack">
          {wishes.isLoadingError && <Failed problem={problemOf(wishes.error)} onRetry={() => void wishes.refetch()} />}
          {wishes.data && <MyWishes key={JSON.stringify(wishes.data)} first={wishes.data} />}
          {may('set_up') && <AskHolders />}
        </div>
        {may('read_messages') && <Hooks mayChange={may('set_up')} />}
      </div>
      {may('read_messages') && <Messages />}
    </>
  );
}

function MyWishes({ first }: { first: Schemas['Wishes'] }) {
  const [body, setBody] = useState(first);
  const save = useAct(() => client.PUT('/api/me/wishes', { body }), 'telling');
  const problem = save.problem;
  const changed = JSON.stringify(body) !== JSON.stringify(first);
  return (
    <Form className="sheet pad" unsaved={changed} onSubmit={() => save.go()} problem={problem}>
      <h2>What I want to be told</h2>
      <Field label="E-mail" type="email" value={body.email} onChange={(email) => setBody({ ...body, email })} field="email" />
      <label className="check">
        <input type="checkbox" checked={body.wants_digest} onChange={(event) => setBody({ ...body, wants_digest: event.target.checked })} />
        <span>The state of the office every morning</span>
      </label>
      {body.wants_digest && (
        <TimeField label="At" value={body.digest_at.slice(0, 5)} onChange={(digest_at) => setBody({ ...body, digest_at })} />
      )}
      <label className="check">
        <input type="checkbox" checked={body.wants_alerts} onChange={(event) => setBody({ ...body, wants_alerts: event.target.checked })} />
        <span>At once when something begins to need a person</span>
      </label>
      {body.wants_alerts && (
        <div className="halves">
          <TimeField
            label="But not from"
            value={(body.quiet_from ?? '').slice(0, 5)}
            onChange={(value) => setBody({ ...body, quiet_from: value || null })}
            hint="Quiet hours; empty for none."
          />
          <TimeField
            label="until"
            value={(body.quiet_until ?? '').slice(0, 5)}
            onChange={(value) => setBody({ ...body, quiet_until: value || null })}
            field="quiet_until"
          />
        </div>
      )}
      <Button type="submit" size="sm" disabled={!changed || save.busy}>
        {changed ? 'Save' : 'Saved'}
      </Button>
    </Form>
  );
}

function AskHolders() {
  const me = useMe();
  const office = me.data?.office;
  // all of it is sent: what somebody else has changed since it was shown is not undone by a tick here
  const save = useAct((body: Schemas['Office']) => client.PUT('/api/office', { body: { ...body, read: { ...office } } }), 'office');
  if (!office) return null;
  return (
    <section className="sheet pad">
      <h2>Asking holders</h2>
      <Refused problem={save.problem} />
      <label className="check">
        <input
          type="checkbox"
          checked={office.asks_holders}
          disabled={save.busy}
          onChange={(event) => save.go({ ...office, asks_holders: event.target.checked })}
        />
        <span>
          Write to the holder, once each time, where only they can help: a locked device, one without power, one that asks for a yes
        </span>
      </label>
      <TimeField
        label="Not before"
        value={office.asks_holders_at.slice(0, 5)}
        onChange={(asks_holders_at) => save.go({ ...office, asks_holders_at })}
        hint="While they are still in the office. Addresses stand on the holders’ pages."
      />
    </section>
  );
}

function Messages() {
  const [page, setPage] = useState(1);
  const messages = useQuery({
    queryKey: key('messages', page),
    queryFn: () => told(client.GET('/api/messages', { params: { query: { page, page_size: PAGE } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 30_000,
  });
  return (
    <section className="mt-3">
      <h2>What was told</h2>
      <div className="sheet scroll">
        {messages.isPending && <Loading what="messages" />}
        {messages.isLoadingError && <Failed problem={problemOf(messages.error)} onRetry={() => void messages.refetch()} />}
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
