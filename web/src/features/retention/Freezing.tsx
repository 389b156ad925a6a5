/** Nothing leaves: of the office, of a store, of a team's devices; said by a press, lifted with a reason. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { useFreezes, useStores, useTeams } from '../../api/queries';
import { Confirm } from '../../ui/forms/Confirm';
import { Dialog } from '../../ui/forms/Dialog';
import { Choice, Field } from '../../ui/forms/Field';
import { When } from '../../ui/Office';
import { Refused } from '../../ui/States';

type Freeze = Schemas['Freeze'];

export function Freezing() {
  const freezes = useFreezes();
  const may = useMay();
  const [asking, setAsking] = useState(false);
  return (
    <section aria-label="Nothing leaves" className="mb-3">
      {freezes.data?.map((one) => (
        <Standing key={one.id} freeze={one} />
      ))}
      {may('keep') && (
        <Button size="sm" variant="outline-primary" onClick={() => setAsking(true)}>
          Let nothing leave …
        </Button>
      )}
      {asking && <Say onClose={() => setAsking(false)} />}
    </section>
  );
}

function Standing({ freeze }: { freeze: Freeze }) {
  const may = useMay();
  const [asking, setAsking] = useState(false);
  const lift = useAct(
    (why: string) => client.POST('/api/freezes/{id}/lift', { params: { path: { id: freeze.id } }, body: { why } }),
    'freeze',
  );
  return (
    <div className="sheet pad mb-2">
      <Refused problem={lift.problem} />
      <div className="head mb-0">
        <p className="mb-0">
          <strong>Nothing leaves {freeze.of}</strong> since <When at={freeze.at} />, says {freeze.by}: {freeze.reason}
        </p>
        {may('remove') && (
          <Button size="sm" variant="outline-primary" aria-label={`Lift it for ${freeze.of}`} onClick={() => setAsking(true)}>
            Lift it …
          </Button>
        )}
      </div>
      {asking && (
        <Confirm
          title={`Let things leave ${freeze.of} again?`}
          action="Lift it"
          reason="Why they may leave again"
          onCancel={() => setAsking(false)}
          onConfirm={(why) => {
            setAsking(false);
            lift.go(why);
          }}
        >
          <p>Rules go on where they stopped. What was due meanwhile goes at the next night; what begins to leave then waits as always.</p>
        </Confirm>
      )}
    </div>
  );
}

function Say({ onClose }: { onClose: () => void }) {
  const [of, setOf] = useState('');
  const [reason, setReason] = useState('');
  const say = useAct(() => client.POST('/api/freezes', { body: { reason, ...chosen(of) } }), 'freeze', onClose);
  return (
    <Dialog
      title="Let nothing leave?"
      action="Nothing leaves"
      onSubmit={() => say.go()}
      onCancel={onClose}
      problem={say.problem}
      busy={say.busy}
    >
      <p>At once, also for what is leaving already, whatever a rule or a person decided. Backups go on, and stores may fill.</p>
      <Of value={of} onChange={setOf} />
      <Field label="Why" value={reason} onChange={setReason} maxLength={200} required field="reason" />
    </Dialog>
  );
}

function chosen(of: string): { store: string | null; team: number | null } {
  const [what, id = ''] = of.split(' ');
  return { store: what === 'store' ? id : null, team: what === 'team' ? Number(id) : null };
}

function Of({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const stores = useStores();
  const teams = useTeams();
  const options = [
    { value: '', label: 'the whole office' },
    ...(stores.data ?? []).map((one) => ({ value: `store ${one.id}`, label: one.name })),
    ...(teams.data ?? []).map((one) => ({ value: `team ${one.id}`, label: `devices of ${one.name}` })),
  ];
  return <Choice label="Of" value={value} onChange={onChange} options={options} />;
}
