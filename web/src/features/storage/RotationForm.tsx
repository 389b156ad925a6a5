/** Which drives take turns, in which order, and how long a turn is. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { useSave } from '../../api/save';
import { Confirm } from '../../ui/forms/Confirm';
import { DateField } from '../../ui/forms/DateField';
import { Choice, Field } from '../../ui/forms/Field';
import { Form } from '../../ui/forms/Form';
import { NumberField } from '../../ui/forms/NumberField';
import { useNow, useZone } from '../../ui/Office';
import { dayIn } from '../../ui/forms/dates';
import type { Drive, Rotation } from './drives';

interface Props {
  rotation?: Rotation;
  drives: readonly Drive[];
  onDone: () => void;
}

const LETTERS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ';

export function RotationForm({ rotation, drives, onDone }: Props) {
  const today = dayIn(useNow(), useZone());
  const free = drives.filter((one) => one.rotation_id === null || one.rotation_id === rotation?.id);
  const first = {
    name: rotation?.name ?? 'Weekly',
    every_days: rotation?.every_days ?? 7,
    first_day: rotation?.first_day ?? today,
    grace_days: rotation?.grace_days ?? 2,
    drives: (rotation ? drives.filter((one) => one.rotation_id === rotation.id) : free).map((one) => one.store_id),
  };
  const [given, setGiven] = useState(first);
  const put = (changes: Partial<typeof given>) => setGiven((before) => ({ ...before, ...changes }));
  const save = useSave(
    (body: typeof given) =>
      rotation
        ? client.PUT('/api/drives/rotations/{id}', { params: { path: { id: rotation.id } }, body })
        : client.POST('/api/drives/rotations', { body }),
    rotation ? first : {},
    'store',
    { after: onDone },
  );
  return (
    <Form
      className="sheet pad"
      unsaved={JSON.stringify(given) !== JSON.stringify(first) && !save.done}
      onSubmit={() => save.go(given)}
      problem={save.problem}
      onOver={save.over}
    >
      <Field label="Name" value={given.name} onChange={(name) => put({ name })} field="name" maxLength={80} />
      <Order drives={free} chosen={given.drives} put={(chosen) => put({ drives: chosen })} />
      <Days given={given} put={put} />
      <div className="row-end">
        {rotation && <End rotation={rotation} onDone={onDone} />}
        <Button variant="outline-primary" type="button" onClick={onDone}>
          Cancel
        </Button>
        <Button type="submit" disabled={save.busy || given.drives.length === 0}>
          Save
        </Button>
      </div>
    </Form>
  );
}

interface Given {
  every_days: number;
  first_day: string;
  grace_days: number;
}

function Days({ given, put }: { given: Given; put: (changes: Partial<Given>) => void }) {
  return (
    <>
      <NumberField
        label="Days of a turn"
        value={given.every_days}
        onChange={(days) => days !== null && put({ every_days: days })}
        least={1}
        most={366}
        whole
        field="every_days"
      />
      <DateField label="The first turn begins on" value={given.first_day} onChange={(first_day) => put({ first_day })} field="first_day" />
      <NumberField
        label="Days of grace"
        value={given.grace_days}
        onChange={(days) => days !== null && put({ grace_days: days })}
        least={0}
        most={60}
        whole
        field="grace_days"
        hint="So long after its turn began a drive that was not plugged in is no incident yet."
      />
    </>
  );
}

/** One choice a turn; the last one may stay empty. */
function Order({ drives, chosen, put }: { drives: readonly Drive[]; chosen: readonly string[]; put: (chosen: string[]) => void }) {
  const turns = [...chosen, ...(chosen.length < drives.length ? [''] : [])];
  const options = [{ value: '', label: 'none' }, ...drives.map((one) => ({ value: one.store_id, label: one.name }))];
  const set = (place: number, id: string) => {
    const next = chosen.filter((one, at) => at !== place && one !== id);
    put(id ? [...next.slice(0, place), id, ...next.slice(place)] : next);
  };
  return (
    <>
      {turns.map((id, place) => (
        <Choice
          key={`${place} ${id}`}
          label={`Turn ${LETTERS[place] ?? place + 1}`}
          value={id}
          onChange={(next) => set(place, next)}
          options={options}
          field="drives"
        />
      ))}
    </>
  );
}

function End({ rotation, onDone }: { rotation: Rotation; onDone: () => void }) {
  const [asking, setAsking] = useState(false);
  const end = useAct(() => client.DELETE('/api/drives/rotations/{id}', { params: { path: { id: rotation.id } } }), 'store', onDone);
  return (
    <>
      <Button variant="outline-danger" type="button" onClick={() => setAsking(true)}>
        End this rotation
      </Button>
      {asking && (
        <Confirm title={`End ${rotation.name}?`} action="End it" onCancel={() => setAsking(false)} onConfirm={() => end.go()}>
          <p>Its drives and what lies on them stay as they are. Nobody waits for one of them any more.</p>
        </Confirm>
      )}
    </>
  );
}
