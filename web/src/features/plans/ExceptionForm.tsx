/** Makes an exception, changes or ends it; what it does to what lies there is shown before. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client } from '../../api/client';
import { useDeviceChoice, usePlans, useStores, useTeams } from '../../api/queries';
import { Form } from '../../ui/forms/Form';
import { Choice, Field } from '../../ui/forms/Field';
import { NumberField } from '../../ui/forms/NumberField';
import { Picker } from '../../ui/Picker';
import { SaveAndLetLeave } from '../../parts/leaving/LetLeave';
import { useSeenSaving } from '../../parts/leaving/saving';
import { Keeps } from './Keeps';
import { emptyDraft, keepingOf, ruleOf, type Exception, type ExceptionRule, type Keeping } from './words';

export interface Edited {
  /** Null for a new one. */
  of: Exception | null;
}

/** `team 3`, `device <id>`, `retired`, or nothing for every device. */
const whoOf = (one: Exception | null): string => {
  if (!one) return '';
  if (one.retired) return 'retired';
  return one.device_id ? `device ${one.device_id}` : one.team_id ? `team ${one.team_id}` : one.plan_id ? `plan ${one.plan_id}` : '';
};

function bodyOf(who: string, store: string) {
  const [what, id = ''] = who.split(' ');
  return {
    retired: what === 'retired',
    device: what === 'device' ? id || null : null,
    team: what === 'team' ? Number(id) : null,
    plan: what === 'plan' ? id : null,
    store: what === 'retired' ? null : store || null,
  };
}

function useExceptionSaving(onClose: () => void) {
  type Asked = ReturnType<typeof bodyOf> & { rule: ExceptionRule | null; why: string };
  return useSeenSaving(
    (body: Asked) => client.POST('/api/exceptions/consequences', { body }),
    (body) => client.POST('/api/exceptions', { body }),
    'exception',
    onClose,
  );
}

export function ExceptionForm({ edited: { of }, onClose }: { edited: Edited; onClose: () => void }) {
  const [who, setWho] = useState(whoOf(of));
  const [store, setStore] = useState(of?.store_id ?? '');
  const [keeping, setKeeping] = useState<Keeping>(of ? keepingOf(of.rule) : emptyDraft([], null));
  const [years, setYears] = useState<number | null>(of?.rule.ask_after?.count ?? null);
  const [why, setWhy] = useState(of?.why ?? '');
  const save = useExceptionSaving(onClose);
  const send = (rule: ExceptionRule | null) => save.go({ ...bodyOf(who, store), rule, why });
  return (
    <>
      <Form
        className="sheet pad mb-3"
        label="Exception"
        problem={save.problem}
        onSubmit={() => send(ruleOf(keeping, who === 'retired' ? years : null))}
      >
        {of ? <h2>{of.says}</h2> : <Whose who={who} store={store} onWho={setWho} onStore={setStore} />}
        <Keeps draft={keeping} set={(name, value) => setKeeping((before) => ({ ...before, [name]: value }))} />
        {who === 'retired' && <AskAfter years={years} onYears={setYears} />}
        <Field label="Why" value={why} onChange={setWhy} maxLength={200} field="why" />
        <div className="row-end">
          <Button variant="outline-primary" onClick={onClose}>
            Cancel
          </Button>
          {of && (
            <Button variant="outline-danger" disabled={save.busy} onClick={() => send(null)}>
              End this exception
            </Button>
          )}
          <Button type="submit" disabled={save.busy}>
            Save
          </Button>
        </div>
      </Form>
      {save.shown && <SaveAndLetLeave save={save} shown={save.shown} />}
    </>
  );
}

function AskAfter({ years, onYears }: { years: number | null; onYears: (years: number | null) => void }) {
  return (
    <NumberField
      label="Ask after so many years"
      value={years}
      onChange={onYears}
      least={1}
      most={30}
      whole
      optional
      hint="From then on Today asks whether the last backups of such a device may go. Empty: nobody is asked."
      field="ask_after"
    />
  );
}

interface WhoseProps {
  who: string;
  store: string;
  onWho: (who: string) => void;
  onStore: (store: string) => void;
}

function Whose({ who, store, onWho, onStore }: WhoseProps) {
  const plans = usePlans();
  const teams = useTeams();
  const device = who.startsWith('device') ? who.slice('device '.length) : '';
  const chosen = useDeviceChoice(device);
  const stores = useStores();
  const whose = [
    { value: '', label: 'every device' },
    { value: 'retired', label: 'devices that are retired or lost, or left behind' },
    ...(plans.data ?? []).map((one) => ({ value: `plan ${one.id}`, label: `devices that follow ${one.name}` })),
    ...(teams.data ?? []).map((one) => ({ value: `team ${one.id}`, label: `devices of ${one.name}` })),
    { value: 'device', label: 'one device' },
  ];
  const where = [{ value: '', label: 'everywhere' }, ...(stores.data ?? []).map((one) => ({ value: one.id, label: `in ${one.name}` }))];
  const kind = who.startsWith('device') ? 'device' : who;
  return (
    <>
      <div className="wide-narrow">
        <Choice label="Of" value={kind} onChange={onWho} options={whose} field="device" />
        {who !== 'retired' && <Choice label="Where" value={store} onChange={onStore} options={where} field="store" />}
      </div>
      {kind === 'device' && <Picker label="Device" value={device} found={chosen} onChoose={(id) => onWho(`device ${id}`)} />}
    </>
  );
}
