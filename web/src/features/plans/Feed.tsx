/** The secret link under which a plan's dates can be subscribed to in any calendar. */
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { Refused } from '../../ui/States';

export function Feed({ id, open }: { id: string; open: boolean }) {
  const path = { params: { path: { id } } };
  const make = useAct(() => client.POST('/api/plans/{id}/feed', path), 'plan');
  const close = useAct(() => client.DELETE('/api/plans/{id}/feed', path), 'plan', make.clear);
  const problem = make.problem ?? close.problem;
  const link = make.told ? `${window.location.origin}${make.told.path}` : null;
  return (
    <div className="sheet pad">
      <h2>Its dates in a calendar</h2>
      <Refused problem={problem} />
      {link ? (
        <p className="mb-2" role="status">
          <code>{link}</code>
          <br />
          <span className="hint">Copy it now: it is shown this once. Whoever has it sees the dates, and nothing of devices or people.</span>
        </p>
      ) : (
        <p className="mb-2">
          {open
            ? 'A secret link is open. It cannot be shown again; a new one makes the old one useless.'
            : 'A secret link lets any calendar program subscribe to the dates of this plan.'}
        </p>
      )}
      <div className="row-end">
        <Button size="sm" variant="outline-primary" disabled={make.busy} onClick={() => make.go()}>
          {open ? 'Make a new link' : 'Make a link'}
        </Button>
        {(open || link) && (
          <Button size="sm" variant="outline-danger" disabled={close.busy} onClick={() => close.go()}>
            Close it
          </Button>
        )}
      </div>
    </div>
  );
}
