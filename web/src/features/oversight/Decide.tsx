/** Whether kinds that an account synchronises go into backups: left out on purpose, or taken in; one device, or all alike. */
import { useState } from 'react';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';
import { counted } from '../../ui/format';
import { Refused } from '../../ui/States';

type KindCover = Schemas['KindCover'];

interface Props {
  id: string;
  name: string;
  /** Every kind that the account synchronises on this device. */
  kinds: KindCover[];
  service: string;
  /** The kind on whose line it was asked. */
  kind: string;
  onDone: () => void;
}

export function Decide({ id, name, kinds, service, kind, onDone }: Props) {
  const open = kinds.filter(
    (one) => one.choice === null && one.accounts.some((account) => account.service === service && account.off_by_policy),
  );
  const [chosen, setChosen] = useState(() => [...new Set([kind, ...open.map((one) => one.kind)])]);
  // what is on its own line was asked for; an account that is switched off asks the person
  const [taken, setTaken] = useState(open.length > 0 || !kinds.some((one) => one.kind === kind && one.planned));
  const [alike, setAlike] = useState(false);
  const [why, setWhy] = useState('');
  const devices = Math.max(
    1,
    ...kinds
      .filter((one) => chosen.includes(one.kind))
      .flatMap((one) => one.accounts.filter((account) => account.service === service).map((account) => account.devices)),
  );
  const decide = useAct(
    () => client.POST('/api/devices/{id}/kinds', { params: { path: { id } }, body: { kinds: chosen, taken, service, alike, why } }),
    ['coverage', 'plan'],
    onDone,
  );
  const problem = decide.problem;
  return (
    <Dialog
      title={`What ${service} synchronises`}
      action={taken ? 'Take them in' : 'Leave them out'}
      onSubmit={() => decide.go()}
      onCancel={onDone}
      problem={problem}
      busy={decide.busy || chosen.length === 0}
    >
      <fieldset className="mb-2">
        <legend className="form-label">Kinds</legend>
        {kinds.map((one) => (
          <label className="check" key={one.kind}>
            <input
              type="checkbox"
              checked={chosen.includes(one.kind)}
              onChange={() => setChosen(chosen.includes(one.kind) ? chosen.filter((code) => code !== one.kind) : [...chosen, one.kind])}
            />{' '}
            <span>{one.label}</span>
          </label>
        ))}
      </fieldset>
      <fieldset className="mb-2">
        <legend className="form-label">In backups</legend>
        <label className="check">
          <input type="radio" name="taken" checked={taken} onChange={() => setTaken(true)} />{' '}
          <span>taken: this office keeps them, whatever the account does</span>
        </label>
        <label className="check">
          <input type="radio" name="taken" checked={!taken} onChange={() => setTaken(false)} /> <span>left out on purpose</span>
        </label>
      </fieldset>
      <fieldset className="mb-2">
        <legend className="form-label">For</legend>
        <label className="check">
          <input type="radio" name="whom" checked={!alike} onChange={() => setAlike(false)} /> <span>{name} only</span>
        </label>
        <label className="check">
          <input type="radio" name="whom" checked={alike} onChange={() => setAlike(true)} />{' '}
          <span>
            every device that {service} synchronises, {counted(devices, 'device')} today
          </span>
        </label>
      </fieldset>
      <Field
        label={taken ? 'Why (may be empty)' : 'Why they may be missing'}
        value={why}
        onChange={setWhy}
        field="why"
        maxLength={200}
        required={!taken}
      />
      <p className="hint mb-0">It counts from the next run on, before the plan, and can be taken back here.</p>
    </Dialog>
  );
}

/** What somebody chose for a kind, beside the plan. */
export function Chosen({ one, mayChange }: { one: KindCover; mayChange: boolean }) {
  const back = useAct(
    (choice: number) => client.DELETE('/api/kind-choices/{id}', { params: { path: { id: choice } } }),
    ['coverage', 'plan'],
  );
  const choice = one.choice;
  if (!choice) return null;
  return (
    <div className="quiet">
      {choice.taken ? 'taken in' : 'left out on purpose'}
      {choice.alike && ' for all alike'}
      {choice.why && `: ${choice.why}`} ({choice.by_name}){' '}
      {mayChange && (
        <button type="button" className="linklike" disabled={back.busy} onClick={() => back.go(choice.id)}>
          take back <span className="visually-hidden">what was chosen for {one.label}</span>
        </button>
      )}
      <Refused problem={back.problem} />
    </div>
  );
}
