/** The recovery code of a new store: shown this once, to be printed and locked away. */
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';

import { codeGroups } from './words';

export function RecoveryCode({ store, code, onDone }: { store: string; code: string; onDone: () => void }) {
  const [kept, setKept] = useState(false);
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => heading.current?.focus(), []);
  return (
    <>
      <h1 tabIndex={-1} ref={heading}>
        Keep this code
      </h1>
      <p className="sub">{store} is ready. If its passphrase is ever forgotten, this code opens it. It is shown now and never again.</p>
      <div className="sheet pad" style={{ maxWidth: 560 }}>
        <p className="recovery-code" translate="no">
          {codeGroups(code).map((group) => (
            <span key={group.place}>{group.text}</span>
          ))}
        </p>
        <p>
          Print it, or write it down, and lock it away somewhere else than the store. Whoever has it and the store can read every backup in
          it. It holds no 0, O, 1, I or L.
        </p>
        <div className="not-printed">
          <Form.Check
            id="kept"
            aria-label="It is printed or written down"
            checked={kept}
            onChange={(event) => setKept(event.target.checked)}
            className="mb-3"
          />
          <div className="d-flex gap-2">
            <Button variant="outline-primary" onClick={() => window.print()}>
              Print
            </Button>
            <Button disabled={!kept} onClick={onDone}>
              Go to the store
            </Button>
          </div>
        </div>
      </div>
    </>
  );
}
