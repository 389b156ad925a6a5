/** Taking a drive away: asked for, and said to be safe only when it is. */
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { useMay } from '../../api/may';
import { Refused } from '../../ui/States';
import type { Drive } from './drives';

export function TakeAway({ drive }: { drive: Pick<Drive, 'store_id' | 'name' | 'state'> }) {
  const may = useMay();
  const path = { params: { path: { id: drive.store_id } } };
  const part = useAct(() => client.POST('/api/drives/{id}/part', path), 'store');
  const use = useAct(() => client.POST('/api/drives/{id}/use', path), 'store');
  if (!may('keep') || drive.state === 'out') return null;
  const act = drive.state === 'here' ? part : use;
  return (
    <>
      <Refused problem={act.problem} />
      <Button size="sm" variant="outline-primary" className="nowrap" disabled={act.busy} onClick={() => act.go()}>
        {drive.state === 'here' ? 'Take away' : 'Use it again'}
        <span className="visually-hidden">: {drive.name}</span>
      </Button>
    </>
  );
}
