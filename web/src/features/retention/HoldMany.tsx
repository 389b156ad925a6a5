/** A wide hold: how much it reaches is said while it is chosen. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { useAct } from '../../api/act';
import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import { useDeviceChoice, useTeams } from '../../api/queries';
import { counted } from '../../ui/format';
import { DateField } from '../../ui/forms/DateField';
import { Dialog } from '../../ui/forms/Dialog';
import { Choice, Field } from '../../ui/forms/Field';
import { Picker } from '../../ui/Picker';

interface Reach {
  device: string | null;
  team: number | null;
  first_day: string | null;
  last_day: string | null;
}

const NOTHING: Reach = { device: null, team: null, first_day: null, last_day: null };

export function HoldMany({ onClose }: { onClose: () => void }) {
  const [reach, setReach] = useState(NOTHING);
  const [reason, setReason] = useState('');
  const [until, setUntil] = useState('');
  const hold = useAct(
    () => client.POST('/api/holds', { body: { ...reach, holder: null, reason, until: until || null } }),
    'backup',
    onClose,
  );
  const put = (next: Partial<Reach>) => setReach((before) => ({ ...before, ...next }));
  return (
    <Dialog
      title="Hold many backups?"
      action="Hold them"
      onSubmit={() => hold.go()}
      onCancel={onClose}
      problem={hold.problem}
      busy={hold.busy}
    >
      <Whose reach={reach} put={put} />
      <div className="halves">
        <DateField label="Taken from" value={reach.first_day ?? ''} onChange={(day) => put({ first_day: day || null })} field="first_day" />
        <DateField label="to" value={reach.last_day ?? ''} onChange={(day) => put({ last_day: day || null })} field="last_day" />
      </div>
      <Reached reach={reach} />
      <Field label="Why they must stay" value={reason} onChange={setReason} maxLength={200} required field="reason" />
      <DateField label="Until" value={until} onChange={setUntil} hint="Empty: until they are released." field="until" />
    </Dialog>
  );
}

function Whose({ reach, put }: { reach: Reach; put: (next: Partial<Reach>) => void }) {
  const teams = useTeams();
  const [one, setOne] = useState(false);
  const choice = useDeviceChoice(reach.device ?? '');
  const options = [
    { value: '', label: 'every device' },
    { value: 'one', label: 'one device' },
    ...(teams.data ?? []).map((team) => ({ value: String(team.id), label: `devices of ${team.name}` })),
  ];
  const choose = (who: string) => {
    setOne(who === 'one');
    put({ device: null, team: who && who !== 'one' ? Number(who) : null });
  };
  return (
    <>
      <Choice label="Of" value={one ? 'one' : String(reach.team ?? '')} onChange={choose} options={options} field="device" />
      {one && <Picker label="Device" value={reach.device ?? ''} found={choice} onChoose={(device) => put({ device })} />}
    </>
  );
}

function Reached({ reach }: { reach: Reach }) {
  const chosen = Object.values(reach).some((value) => value !== null);
  const answer = useQuery({
    queryKey: key('leaving', 'reach', reach),
    queryFn: () => told(client.POST('/api/holds/preview', { body: { ...reach, holder: null } })),
    enabled: chosen,
    retry: false,
  });
  if (!chosen || !answer.data) return <p className="hint">Choose whose, or of which days.</p>;
  const { backups, held, devices } = answer.data;
  return (
    <p role="status">
      {counted(backups - held, 'backup')} of {counted(devices, 'device')}
      {held > 0 && <span className="quiet">; {held} more are on hold already and keep their own reason</span>}
    </p>
  );
}
