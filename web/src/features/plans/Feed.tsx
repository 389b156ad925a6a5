/** The secret link under which a plan's dates can be subscribed to in any calendar. */
import { useMutation, useQueryClient } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { Refused } from '../../ui/States';

export function Feed({ id, open }: { id: string; open: boolean }) {
  const queries = useQueryClient();
  const path = { params: { path: { id } } };
  const after = () => queries.invalidateQueries({ queryKey: ['plans'] });
  const make = useMutation({ mutationFn: () => told(client.POST('/api/plans/{id}/feed', path)), onSuccess: after });
  const close = useMutation({
    mutationFn: () => told(client.DELETE('/api/plans/{id}/feed', path)),
    onSuccess: () => {
      make.reset();
      return after();
    },
  });
  const problem = make.error ? problemOf(make.error) : close.error ? problemOf(close.error) : null;
  const link = make.data ? `${window.location.origin}${make.data.path}` : null;
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
        <p className="mb-2">{open ? 'A secret link is open. It cannot be shown again; a new one makes the old one useless.' : 'A secret link lets any calendar program subscribe to the dates of this plan.'}</p>
      )}
      <div className="row-end">
        <Button size="sm" variant="outline-primary" disabled={make.isPending} onClick={() => make.mutate()}>
          {open ? 'Make a new link' : 'Make a link'}
        </Button>
        {(open || link) && (
          <Button size="sm" variant="outline-danger" disabled={close.isPending} onClick={() => close.mutate()}>
            Close it
          </Button>
        )}
      </div>
    </div>
  );
}
