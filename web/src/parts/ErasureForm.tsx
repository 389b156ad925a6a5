/** Asks that something be erased on request: where it is and until when it goes come first, then whose wish it is, then a word. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../api/act';
import { client, problemOf, told, type Schemas } from '../api/client';
import { key } from '../api/keys';
import { useMe } from '../api/queries';
import { counted, plainDay } from '../ui/format';
import { DateField } from '../ui/forms/DateField';
import { dayIn } from '../ui/forms/dates';
import { Check, Field } from '../ui/forms/Field';
import { Form } from '../ui/forms/Form';
import { useNow, useZone } from '../ui/Office';
import { useRested } from '../ui/rested';
import { Failed, Loading } from '../ui/States';

/** Items of one device, or whole devices, or a person with all they carry. */
export type Wish = { device: string; items: readonly { kind: string; id: string }[] } | { devices: readonly string[] } | { holder: number };
type Preview = Schemas['ErasurePreview'];

/** As the server is asked. */
const bodyOf = (wish: Wish) => ({
  device: 'device' in wish ? wish.device : null,
  items: 'items' in wish ? [...wish.items] : [],
  devices: 'devices' in wish ? [...wish.devices] : [],
  holder: 'holder' in wish ? wish.holder : null,
});

export function ErasureForm({ wish, onDone }: { wish: Wish; onDone: (id: string) => void }) {
  const today = dayIn(useNow(), useZone());
  const undoDays = useMe().data?.office?.undo_days ?? 7;
  const [begins, setBegins] = useState(() => later(today, undoDays));
  const [reference, setReference] = useState('');
  const [word, setWord] = useState('');
  const [forget, setForget] = useState(false);
  const body = { ...bodyOf(wish), begins_on: begins };
  const shown = usePreview(body);
  const ask = useAct(
    () => client.POST('/api/erasures', { body: { ...body, reference, word, forgets_names: forget, seen: shown.data?.digest ?? '' } }),
    'erasure',
    (row) => onDone(row.id),
  );
  return (
    <Form className="sheet pad" onSubmit={() => ask.go()} problem={ask.problem}>
      <Where asked={shown} />
      <DateField
        label="Not before"
        value={begins}
        onChange={setBegins}
        required
        field="begins_on"
        hint="Until then it can be called off."
      />
      <Field
        label="Whose wish, for the file"
        value={reference}
        onChange={setReference}
        maxLength={200}
        required
        field="reference"
        hint="A number or a date under which the request is found."
      />
      <Forget wish={wish} forget={forget} onForget={setForget} />
      <Field
        label="What is erased cannot be brought back. Type “erase” to go on"
        value={word}
        onChange={setWord}
        autoComplete="off"
        required
        field="word"
      />
      <Button type="submit" variant="danger" disabled={ask.busy || !shown.data || shown.data.objections.length > 0}>
        Have it erased
      </Button>
    </Form>
  );
}

function usePreview(body: Schemas['WishRequest']) {
  const rested = JSON.parse(useRested(JSON.stringify(body))) as Schemas['WishRequest'];
  return useQuery({
    queryKey: key('erasures', 'preview', rested),
    queryFn: () => told(client.POST('/api/erasures/preview', { body: rested })),
    retry: false,
  });
}

function Forget({ wish, forget, onForget }: { wish: Wish; forget: boolean; onForget: (forget: boolean) => void }) {
  if ('items' in wish) return null;
  return (
    <Check checked={forget} onChange={onForget}>
      Forget the names as well: of the devices{'holder' in wish && ' and of the person'}, once everything is gone
    </Check>
  );
}

const later = (day: string, days: number): string => {
  const at = new Date(`${day}T12:00:00Z`);
  at.setUTCDate(at.getUTCDate() + days);
  return at.toISOString().slice(0, 10);
};

function Where({ asked }: { asked: ReturnType<typeof usePreview> }) {
  if (asked.isPending) return <Loading what="where it is" />;
  if (asked.isLoadingError) return <Failed problem={problemOf(asked.error)} onRetry={() => void asked.refetch()} />;
  return <Stores shown={asked.data} />;
}

function Stores({ shown }: { shown: Preview }) {
  const there = shown.stores.filter((one) => one.backups > 0);
  return (
    <>
      {shown.objections.map((one) => (
        <p key={one} className="said bad">
          {one}
        </p>
      ))}
      {there.length === 0 && <p>No store holds a backup of it.</p>}
      <ul className="plain">
        {there.map((one) => (
          <li key={one.store_id}>
            <strong>{one.store_name}</strong>: {inStore(one)}
          </li>
        ))}
      </ul>
      <p>
        {shown.last_day
          ? `The last byte is gone on ${plainDay(shown.last_day)}.`
          : 'When the last byte is gone hangs on what is said above.'}
      </p>
    </>
  );
}

function inStore(one: Preview['stores'][number]): string {
  if (one.unread) return `${counted(one.backups, 'backup')} to be looked into once it can be read. ${one.unread}`;
  const parts = [counted(one.backups, 'backup')];
  if (one.held > 0) parts.push(`${counted(one.held, 'is', 'are')} on hold and must stay until the hold is released`);
  if (one.frozen) parts.push('nothing may leave there for now');
  return `${parts.join('; ')}.`;
}
