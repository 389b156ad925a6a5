/** Where what was chosen goes: to a device, into an archive to fetch, into a folder of the server. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useDeviceChoice } from '../../api/queries';
import { Choice } from '../../ui/forms/Field';
import { dayIn } from '../../ui/forms/dates';
import { Form } from '../../ui/forms/Form';
import { Mark, STANDINGS } from '../../ui/Mark';
import { useNow, useZone } from '../../ui/Office';
import { Picker } from '../../ui/Picker';
import { Failed } from '../../ui/States';
import { ExportOptions } from './ExportOptions';
import { NO_EXPORT, asked, type Going, type Target } from './exports';
import { type Backup, type Things } from './queries';
import { CONFLICTS, LEAST_LOSS, TARGETS, doing } from './words';

/** How long a folder stays unless somebody says otherwise. */
const A_MONTH_MS = 30 * 86_400_000;

interface Props {
  backup: Backup;
  things: Things;
}

export function WhereTo({ backup, things }: Props) {
  const navigate = useNavigate();
  const may = useMay();
  const [going, setGoing] = useState<Going>({
    ...NO_EXPORT,
    target: 'device',
    device: backup.device_id,
    whenThere: LEAST_LOSS,
    until: dayIn(useNow() + A_MONTH_MS, useZone()),
  });
  const put = (change: Partial<Going>) => setGoing((before) => ({ ...before, ...change }));
  const devices = useDeviceChoice(going.device, (row) => !['lost', 'retired'].includes(row.device_state));
  const chosen = things.everything || things.kinds.length > 0 || things.items.length > 0;
  const findings = useFindings(backup, things, going, chosen);
  const ask = useAct(
    () => client.POST('/api/restores', { body: asked(backup.id, things, going) }),
    'restore',
    (restore) => void navigate(`/restore/${restore.id}`),
  );
  const blocked = (findings.data ?? []).some((finding) => finding.level === 'blocks') && going.target !== 'folder';
  const targets = TARGETS.filter((one) => one.value !== 'folder' || may('set_up'));
  return (
    <Form className="sheet pad" onSubmit={() => ask.go()} problem={ask.problem}>
      {targets.map((one) => (
        <div key={one.value}>
          <Radio value={one.value} chosen={going.target} onChoose={(target) => put({ target })} />
          {one.value === going.target && <Options going={going} put={put} devices={devices} />}
        </div>
      ))}
      <Before chosen={chosen} going={going} findings={findings} />
      <Button type="submit" disabled={!chosen || blocked || ask.busy || (going.target === 'device' && devices.shown === '')}>
        {doing(going.target, devices.shown)}
      </Button>
      {!chosen && <p className="hint">Choose some things in the middle first.</p>}
      {blocked && going.target === 'device' && (
        <p className="hint">
          Resolve what is marked, or <Link to="/devices">look at the devices</Link>.
        </p>
      )}
    </Form>
  );
}

interface OptionsProps {
  going: Going;
  put: (change: Partial<Going>) => void;
  devices: ReturnType<typeof useDeviceChoice>;
}

function Options({ going, put, devices }: OptionsProps) {
  if (going.target !== 'device') return <ExportOptions going={going} put={put} />;
  return (
    <div className="ps-4 pt-1">
      <Picker label="Which device" value={going.device} found={devices} onChoose={(device) => put({ device })} />
      <Choice label="What differs there already" value={going.whenThere} onChange={(whenThere) => put({ whenThere })} options={CONFLICTS} />
    </div>
  );
}

function Radio({ value, chosen, onChoose }: { value: Target; chosen: Target; onChoose: (target: Target) => void }) {
  const one = TARGETS.find((target) => target.value === value);
  return (
    <label className="check">
      <input type="radio" name="target" checked={chosen === value} onChange={() => onChoose(value)} />
      <span>
        <strong>{one?.label}</strong>
        {one?.more}
      </span>
    </label>
  );
}

/** What stands in the way now. A passphrase is never part of this question. */
function useFindings(backup: Backup, things: Things, going: Going, chosen: boolean) {
  const body = asked(backup.id, things, { ...going, ...NO_EXPORT });
  return useQuery({
    queryKey: key('preflight', body),
    queryFn: () => told(client.POST('/api/preflight', { body })),
    enabled: chosen && going.target !== 'folder',
    // what stands in the way of another target says nothing of this one
    placeholderData: (before, question) => (question?.queryKey[1].target === body.target ? before : undefined),
    refetchInterval: 15_000,
    retry: false,
  });
}

interface BeforeProps {
  chosen: boolean;
  going: Going;
  findings: ReturnType<typeof useFindings>;
}

function Before({ chosen, going, findings }: BeforeProps) {
  const toDevice = going.target === 'device';
  const findingsNow: Schemas['Finding'][] = going.target === 'folder' ? [] : (findings.data ?? []);
  return (
    <section aria-label="Before it starts" aria-live="polite" className="my-2">
      {toDevice && chosen && findings.isPending && <p className="hint">Asking the device …</p>}
      {findings.isLoadingError && <Failed problem={problemOf(findings.error)} />}
      {toDevice && findings.data?.length === 0 && <p className="hint">Nothing stands in the way.</p>}
      {findingsNow.map((finding) => (
        <div className="finding" key={finding.code}>
          <Mark look={finding.level === 'blocks' ? STANDINGS['late'] : STANDINGS['due_soon']} wordless />
          <p>
            <strong>{finding.says}</strong> {finding.step}
          </p>
        </div>
      ))}
    </section>
  );
}
