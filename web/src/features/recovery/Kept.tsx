/** Why a backup is kept in each store and until when; holding, releasing, removing it. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { CopyTo } from '../../parts/CopyTo';
import { Removal } from '../../parts/Removal';
import { Confirm } from '../../ui/forms/Confirm';
import { DateField } from '../../ui/forms/DateField';
import { plainDay } from '../../ui/format';
import { Loading, Refused } from '../../ui/States';
import type { Backup } from './queries';

type Asking = 'hold' | 'release' | 'remove' | null;

export function Kept({ backup }: { backup: Backup }) {
  const may = useMay();
  const [asking, setAsking] = useState<Asking>(null);
  const path = { params: { path: { id: backup.id } } };
  const hold = useAct(
    ({ reason, until }: { reason: string; until: string }) =>
      client.POST('/api/backups/{id}/hold', { ...path, body: { reason, until: until || null } }),
    'backup',
  );
  const release = useAct(() => client.DELETE('/api/backups/{id}/hold', path), 'backup');
  const close = () => setAsking(null);
  return (
    <section className="sheet pad mb-3" aria-label="Why it is kept">
      <Refused problem={hold.problem ?? release.problem} />
      {backup.kept.map((kept) => (
        <InStore key={kept.store_id} kept={kept} />
      ))}
      <LookedAt backup={backup} />
      {may('keep') && <CopyTo backupId={backup.id} besides={[...backup.copies, ...backup.coming].map((copy) => copy.store_id)} />}
      <div className="row-end mt-2">
        {may('keep') && <HoldButton backup={backup} onAsk={setAsking} />}
        {may('remove') && (
          <Button size="sm" variant="outline-danger" onClick={() => setAsking('remove')}>
            Remove …
          </Button>
        )}
      </div>
      {asking === 'hold' && (
        <Hold
          onCancel={close}
          onHold={(told) => {
            close();
            hold.go(told);
          }}
        />
      )}
      {asking === 'release' && (
        <Release
          id={backup.id}
          onCancel={close}
          onRelease={() => {
            close();
            release.go();
          }}
        />
      )}
      {asking === 'remove' && <Removal title="Remove this backup?" chosen={{ backups: [backup.id] }} onClose={close} />}
    </section>
  );
}

/** Of the backup, wherever it lies. */
function HoldButton({ backup, onAsk }: { backup: Backup; onAsk: (what: Asking) => void }) {
  const leaves = backup.kept.some((kept) => kept.leaves_on);
  const word = backup.hold_reason ? 'Release the hold …' : leaves ? 'Keep it after all …' : 'Hold it …';
  return (
    <Button size="sm" variant="outline-primary" onClick={() => onAsk(backup.hold_reason ? 'release' : 'hold')}>
      {word}
    </Button>
  );
}

function InStore({ kept }: { kept: Schemas['Kept'] }) {
  if (kept.leaves_on)
    return (
      <p className="mb-1 tone-late">
        <strong>
          It leaves {kept.store_name}, not before {plainDay(kept.leaves_on)}.
        </strong>{' '}
        {kept.leaves_because} Until then it can be restored, and kept after all.
      </p>
    );
  if (!kept.kept)
    return (
      <p className="mb-1">
        <strong>No rule keeps it in {kept.store_name} any more: it begins to leave tonight.</strong>
      </p>
    );
  return (
    <p className="mb-1">
      <strong>In {kept.store_name} it is kept as</strong> {kept.why.join('; ')}.{' '}
      {kept.falls_out_on
        ? `If the plan goes on as it does, it begins to leave on ${plainDay(kept.falls_out_on)}.`
        : 'It does not leave by itself.'}
    </p>
  );
}

/** What is damaged or was brought in stays until somebody says that it was looked at. */
function LookedAt({ backup }: { backup: Backup }) {
  const may = useMay();
  const waits = backup.kept.some((kept) => kept.why.some((why) => /^(damaged|brought in):/.test(why)));
  const looked = useAct(() => client.POST('/api/backups/{id}/looked-at', { params: { path: { id: backup.id } } }), 'backup');
  if (!waits || !may('remove')) return null;
  return (
    <div className="row-end">
      <Refused problem={looked.problem} />
      <Button size="sm" variant="outline-primary" disabled={looked.busy} onClick={() => looked.go()}>
        I have looked: its rule may decide
      </Button>
    </div>
  );
}

function Hold({ onCancel, onHold }: { onCancel: () => void; onHold: (told: { reason: string; until: string }) => void }) {
  const [until, setUntil] = useState('');
  return (
    <Confirm
      title="Hold this backup?"
      action="Hold it"
      reason="Why it must stay"
      onCancel={onCancel}
      onConfirm={(reason) => onHold({ reason, until })}
    >
      <p>No retention rule removes it until somebody releases the hold, or until its day is over. What was leaving is back at once.</p>
      <DateField label="Until" value={until} onChange={setUntil} hint="Empty: until it is released." />
    </Confirm>
  );
}

/** Says first what follows, and when. */
function Release({ id, onCancel, onRelease }: { id: string; onCancel: () => void; onRelease: () => void }) {
  const after = useQuery({
    queryKey: key('leaving', 'after-release', id),
    queryFn: () => told(client.GET('/api/backups/{id}/after-release', { params: { path: { id } } })),
  });
  return (
    <Confirm title="Release the hold?" action="Release it" onCancel={onCancel} onConfirm={onRelease}>
      {after.isPending && <Loading what="what follows" />}
      {after.data?.map((one) => (
        <p key={one.store_id}>
          {one.leaves_on
            ? `In ${one.store_name} nothing else keeps it: it begins to leave tonight, and is gone on ${plainDay(one.leaves_on)} at the earliest.`
            : `In ${one.store_name} it stays all the same: ${one.why.join('; ')}.`}
        </p>
      ))}
    </Confirm>
  );
}
