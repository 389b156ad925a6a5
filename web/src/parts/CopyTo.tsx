/** Have a backup copied into another store, of one's own choice. */
import { useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { useAct } from '../api/act';
import { client } from '../api/client';
import { useStores } from '../api/queries';
import { Choice } from '../ui/forms/Field';
import { Refused } from '../ui/States';

interface Props {
  backupId: string;
  /** Stores that have it, or are to have it. */
  besides: readonly string[];
  /** Shown where there is no other store. */
  otherwise?: ReactNode;
}

export function CopyTo({ backupId, besides, otherwise = null }: Props) {
  const stores = useStores();
  const free = (stores.data ?? []).filter((store) => store.mode === 'in_use' && !besides.includes(store.id));
  const [chosen, setChosen] = useState('');
  const to = free.find((store) => store.id === chosen) ?? free[0];
  const copy = useAct(
    () => client.POST('/api/backups/{id}/copy', { params: { path: { id: backupId } }, body: { store: to?.id ?? '' } }),
    ['copy', 'store'],
  );
  if (copy.done) return <Link to="/storage/copies">The copy is on its way</Link>;
  if (!stores.data) return null;
  if (!to) return otherwise;
  return (
    <div className="row-end mt-2">
      <Refused problem={copy.problem} />
      {free.length > 1 && (
        <Choice
          label="Copy it to"
          compact
          value={to.id}
          onChange={setChosen}
          options={free.map((store) => ({ value: store.id, label: store.name }))}
        />
      )}
      <Button size="sm" variant="outline-primary" disabled={copy.busy} onClick={() => copy.go()}>
        {free.length > 1 ? 'Copy it there' : `Copy it to ${to.name}`}
      </Button>
    </div>
  );
}
