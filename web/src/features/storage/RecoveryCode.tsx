/** The recovery code of a new store: shown this once, on a page made for paper, and read back from it. */
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { Field } from '../../ui/forms/Field';
import { Form } from '../../ui/forms/Form';
import { When } from '../../ui/Office';
import { codeGroups } from './words';

export function RecoveryCode({ storeId, store, code, onDone }: { storeId: string; store: string; code: string; onDone: () => void }) {
  const heading = useRef<HTMLHeadingElement>(null);
  const [now] = useState(() => new Date().toISOString());
  useEffect(() => heading.current?.focus(), []);
  return (
    <>
      <h1 tabIndex={-1} ref={heading}>
        Keep this code
      </h1>
      <p className="sub not-printed">
        {store} is ready. If its passphrase is ever forgotten, this code opens it. It is shown now and never again.
      </p>
      <div className="sheet pad on-paper">
        <p>
          <strong>Recovery code of {store}</strong>, made <When at={now} />
        </p>
        <p className="recovery-code" translate="no">
          {codeGroups(code).map((group) => (
            <span key={group.place}>{group.text}</span>
          ))}
        </p>
        <p>
          Lock it away somewhere else than the store. Whoever has it and the store can read every backup in it. It holds no 0, O, 1, I or L.
          To use it: Storage, Add a store, A store that exists; or <code>./attic vault list</code> with it in place of the passphrase.
        </p>
        <div className="not-printed">
          <Button variant="outline-primary" className="mb-3" onClick={() => window.print()}>
            Print
          </Button>
          <ReadBack storeId={storeId} onDone={onDone} />
        </div>
      </div>
    </>
  );
}

/** What is on the paper is typed from it, so that a slip of the pen is found today. */
export function ReadBack({ storeId, onDone }: { storeId: string; onDone: () => void }) {
  const [typed, setTyped] = useState('');
  const prove = useAct(
    () => client.POST('/api/stores/{id}/prove-passphrase', { params: { path: { id: storeId } }, body: { passphrase: typed } }),
    'store',
    onDone,
  );
  return (
    <Form onSubmit={() => prove.go()} problem={prove.problem} label="Read it back" className="not-printed">
      <Field
        label="Type it from the paper"
        value={typed}
        onChange={setTyped}
        autoComplete="off"
        spellCheck={false}
        field="passphrase"
        hint="Small letters and missing hyphens do not matter."
      />
      <div className="row-end">
        <Button type="submit" disabled={prove.busy || !typed.trim()}>
          {prove.busy ? 'One moment …' : 'It is right'}
        </Button>
        <Button type="button" variant="outline-secondary" onClick={onDone}>
          Later
        </Button>
      </div>
    </Form>
  );
}
