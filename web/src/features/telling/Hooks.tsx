/** Other programs that are told what happens, each with a secret of its own. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { Form } from '../../ui/forms/Form';
import { Confirm } from '../../ui/forms/Confirm';
import { Field } from '../../ui/forms/Field';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

type Hook = Schemas['Hook'];

export function Hooks({ mayChange }: { mayChange: boolean }) {
  const hooks = useQuery({ queryKey: key('hooks'), queryFn: () => told(client.GET('/api/hooks')) });
  return (
    <section className="sheet pad">
      <h2>
        Other programs <small>webhooks, signed by RFC 9421</small>
      </h2>
      {hooks.isPending && <Loading what="hooks" />}
      {hooks.isLoadingError && <Failed problem={problemOf(hooks.error)} onRetry={() => void hooks.refetch()} />}
      {hooks.data?.length === 0 && <Empty>None. A ticket system or a watcher outside of the office can be told here.</Empty>}
      {hooks.data?.map((hook) => (
        <OneHook key={hook.id} hook={hook} mayChange={mayChange} />
      ))}
      {mayChange && <AddHook />}
    </section>
  );
}

function OneHook({ hook, mayChange }: { hook: Hook; mayChange: boolean }) {
  const [removing, setRemoving] = useState(false);
  const path = { params: { path: { id: hook.id } } };
  const shown = { active: hook.active, inside: hook.inside, signs_of_life: hook.signs_of_life };
  const change = useAct(
    (next: Partial<typeof shown>) => client.PUT('/api/hooks/{id}', { ...path, body: { ...shown, ...next, read: shown } }),
    'telling',
  );
  const remove = useAct(() => client.DELETE('/api/hooks/{id}', path), 'telling');
  const attempt = useAct(() => client.POST('/api/hooks/{id}/try', path), 'telling');
  const problem = change.problem ?? remove.problem ?? attempt.problem;
  return (
    <div className="store">
      <div className="t">
        <b>{hook.name}</b>
        <small>{hook.active ? (hook.signs_of_life ? 'on, with signs of life' : 'on') : 'off'}</small>
      </div>
      <code>{hook.address}</code>
      <Refused problem={problem} />
      {attempt.done && (
        <p className="tone-ok mb-1" role="status">
          It was taken.
        </p>
      )}
      {mayChange && (
        <div className="row-end">
          <button type="button" className="linklike" disabled={attempt.busy} onClick={() => attempt.go()}>
            {attempt.busy ? 'telling …' : 'tell it something now'}
          </button>
          <button type="button" className="linklike" onClick={() => change.go({ active: !hook.active })}>
            {hook.active ? 'switch off' : 'switch on'}
          </button>
          <button type="button" className="linklike" onClick={() => setRemoving(true)}>
            remove
          </button>
        </div>
      )}
      {removing && (
        <Confirm
          title={`Tell ${hook.name} nothing any more?`}
          action="Remove it"
          onCancel={() => setRemoving(false)}
          onConfirm={() => remove.go()}
        >
          <p>Its secret and the record of what it was told go with it.</p>
        </Confirm>
      )}
    </div>
  );
}

function AddHook() {
  const empty = { name: '', address: '', inside: false, signs_of_life: false, active: true };
  const [body, setBody] = useState(empty);
  const add = useAct(
    () => client.POST('/api/hooks', { body }),
    'telling',
    () => setBody(empty),
  );
  const problem = add.problem;
  return (
    <details className="mt-2" open={add.done || undefined}>
      <summary>Add one</summary>
      <Form className="mt-2" onSubmit={() => add.go()} problem={problem}>
        {add.told && (
          <div className="said" role="status">
            Its secret, shown this once: <code>{add.told.secret}</code>
          </div>
        )}
        <Field label="Name" value={body.name} onChange={(name) => setBody({ ...body, name })} field="name" required />
        <Field
          label="Address"
          type="url"
          placeholder="https://"
          value={body.address}
          onChange={(address) => setBody({ ...body, address })}
          field="address"
          required
        />
        <label className="check">
          <input type="checkbox" checked={body.inside} onChange={(event) => setBody({ ...body, inside: event.target.checked })} />
          <span>It lies on the office’s own network</span>
        </label>
        <label className="check mb-2">
          <input
            type="checkbox"
            checked={body.signs_of_life}
            onChange={(event) => setBody({ ...body, signs_of_life: event.target.checked })}
          />
          <span>Give it a sign of life every five minutes, so that it notices when Old Attic has stopped</span>
        </label>
        <Button type="submit" size="sm" disabled={add.busy}>
          Add it
        </Button>
      </Form>
    </details>
  );
}
