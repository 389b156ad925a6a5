/** Other programs that are told what happens, each with a secret of its own. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { Confirm } from '../../ui/Confirm';
import { Field } from '../../ui/Field';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

type Hook = Schemas['Hook'];

export function Hooks({ mayChange }: { mayChange: boolean }) {
  const hooks = useQuery({ queryKey: ['hooks'], queryFn: () => told(client.GET('/api/hooks')) });
  return (
    <section className="sheet pad">
      <h2>
        Other programs <small>webhooks, signed by RFC 9421</small>
      </h2>
      {hooks.isPending && <Loading what="hooks" />}
      {hooks.isError && <Failed problem={problemOf(hooks.error)} onRetry={() => void hooks.refetch()} />}
      {hooks.data?.length === 0 && <Empty>None. A ticket system or a watcher outside of the office can be told here.</Empty>}
      {hooks.data?.map((hook) => (
        <OneHook key={hook.id} hook={hook} mayChange={mayChange} />
      ))}
      {mayChange && <AddHook />}
    </section>
  );
}

function OneHook({ hook, mayChange }: { hook: Hook; mayChange: boolean }) {
  const queries = useQueryClient();
  const [removing, setRemoving] = useState(false);
  const path = { params: { path: { id: hook.id } } };
  const again = () => queries.invalidateQueries({ queryKey: ['hooks'] });
  const change = useMutation({
    mutationFn: (next: Partial<Hook>) => told(client.PUT('/api/hooks/{id}', { ...path, body: { active: hook.active, inside: hook.inside, signs_of_life: hook.signs_of_life, ...next } })),
    onSuccess: again,
  });
  const remove = useMutation({ mutationFn: () => told(client.DELETE('/api/hooks/{id}', path)), onSuccess: again });
  const attempt = useMutation({ mutationFn: () => told(client.POST('/api/hooks/{id}/try', path)), onSettled: () => queries.invalidateQueries({ queryKey: ['messages'] }) });
  const problem = [change, remove, attempt].find((one) => one.error)?.error;
  return (
    <div className="store">
      <div className="t">
        <b>{hook.name}</b>
        <small>{hook.active ? (hook.signs_of_life ? 'on, with signs of life' : 'on') : 'off'}</small>
      </div>
      <code>{hook.address}</code>
      <Refused problem={problem ? problemOf(problem) : null} />
      {attempt.isSuccess && <p className="tone-ok mb-1" role="status">It was taken.</p>}
      {mayChange && (
        <div className="row-end">
          <button type="button" className="linklike" disabled={attempt.isPending} onClick={() => attempt.mutate()}>
            {attempt.isPending ? 'telling …' : 'tell it something now'}
          </button>
          <button type="button" className="linklike" onClick={() => change.mutate({ active: !hook.active })}>
            {hook.active ? 'switch off' : 'switch on'}
          </button>
          <button type="button" className="linklike" onClick={() => setRemoving(true)}>
            remove
          </button>
        </div>
      )}
      {removing && (
        <Confirm title={`Tell ${hook.name} nothing any more?`} action="Remove it" onCancel={() => setRemoving(false)} onConfirm={() => remove.mutate()}>
          <p>Its secret and the record of what it was told go with it.</p>
        </Confirm>
      )}
    </div>
  );
}

function AddHook() {
  const empty = { name: '', address: '', inside: false, signs_of_life: false, active: true };
  const [body, setBody] = useState(empty);
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: () => told(client.POST('/api/hooks', { body })),
    onSuccess: () => {
      setBody(empty);
      return queries.invalidateQueries({ queryKey: ['hooks'] });
    },
  });
  const problem = add.error ? problemOf(add.error) : null;
  return (
    <details className="mt-2" open={add.isSuccess || undefined}>
      <summary>Add one</summary>
      <form
        className="mt-2"
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate();
        }}
      >
        <Refused problem={problem} />
        {add.data && (
          <div className="said" role="status">
            Its secret, shown this once: <code>{add.data.secret}</code>
          </div>
        )}
        <Field label="Name" value={body.name} onChange={(name) => setBody({ ...body, name })} problem={problem} field="name" required />
        <Field label="Address" type="url" placeholder="https://" value={body.address} onChange={(address) => setBody({ ...body, address })} problem={problem} field="address" required />
        <label className="check">
          <input type="checkbox" checked={body.inside} onChange={(event) => setBody({ ...body, inside: event.target.checked })} />
          <span>It lies on the office’s own network</span>
        </label>
        <label className="check mb-2">
          <input type="checkbox" checked={body.signs_of_life} onChange={(event) => setBody({ ...body, signs_of_life: event.target.checked })} />
          <span>Give it a sign of life every five minutes, so that it notices when Old Attic has stopped</span>
        </label>
        <Button type="submit" size="sm" disabled={add.isPending}>
          Add it
        </Button>
      </form>
    </details>
  );
}
