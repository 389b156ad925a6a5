/** Where a store lies: the fields of its address, and a trial of it that tells each result as it comes. */
import { Fragment, useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Problem, type Schemas } from '../../api/client';
import { eachLine } from '../../api/lines';
import { OwnKey } from '../../parts/OwnKey';
import { Check, Field } from '../../ui/forms/Field';
import { Mark } from '../../ui/Mark';
import { Scroll } from '../../ui/Scroll';
import { Refused } from '../../ui/States';
import { ADDRESS_PARTS, policyFor, TRIAL_STEPS, type Medium } from './words';

/** A secret that is null is to be forgotten; one that is empty stays as it is. */
export type Settings = Record<string, string | null>;

export function AddressFields({
  medium,
  settings,
  onChange,
  kept = false,
}: {
  medium: Medium;
  settings: Settings;
  onChange: (settings: Settings) => void;
  /** Of a store that is there: what is secret stays as it is unless something is typed. */
  kept?: boolean;
}) {
  return ADDRESS_PARTS[medium].map(({ name, label, placeholder, hint, required, secret, ticked }) =>
    ticked ? (
      <div key={name} className="field">
        <Check checked={settings[name] === 'yes'} onChange={(on) => onChange({ ...settings, [name]: on ? 'yes' : '' })}>
          {label}
        </Check>
        <p className="hint mb-0">{hint}</p>
      </div>
    ) : (
      <Fragment key={name}>
        <Field
          label={label}
          value={settings[name] ?? ''}
          onChange={(value) => onChange({ ...settings, [name]: value })}
          field={name}
          {...(secret ? { type: 'password', autoComplete: 'new-password' } : { autoComplete: 'off', spellCheck: false })}
          {...(secret && kept ? { placeholder: 'stays as it is' } : placeholder ? { placeholder } : {})}
          {...(hint ? { hint } : {})}
          {...(required ? { required: true } : {})}
        />
        {name === 'host_key' && <AskedKey settings={settings} onKey={(host_key) => onChange({ ...settings, host_key })} />}
        {medium === 'sftp' && name === 'password' && <ByKey settings={settings} onChange={onChange} kept={kept} />}
      </Fragment>
    ),
  );
}

/** Without a password this server signs in with its own key; a password that is kept has to be given up for that. */
function ByKey({ settings, onChange, kept }: { settings: Settings; onChange: (settings: Settings) => void; kept: boolean }) {
  const byKey = kept ? settings['password'] === null : !settings['password'];
  return (
    <>
      {kept && (
        <Check checked={byKey} onChange={(on) => onChange({ ...settings, password: on ? null : '' })}>
          Forget the password and sign in with this server&apos;s key
        </Check>
      )}
      {byKey && <OwnKey of="that account" />}
    </>
  );
}

/** Asks the computer for its key; a person compares it and takes it. */
function AskedKey({ settings, onKey }: { settings: Settings; onKey: (key: string) => void }) {
  const where = { host: settings['host']?.trim() ?? '', port: Number(settings['port'] || 22) };
  const meet = useAct(() => client.POST('/api/devices/sftp/meet', { body: where }), []);
  const met = meet.told;
  return (
    <div className="mb-2" role="status">
      <Refused problem={meet.problem} />
      {met && met.host_key !== settings['host_key'] ? (
        <div className="said">
          This key answers there: <code>{met.fingerprint}</code>
          <br />
          Compare it with the one that <code>ssh-keygen -lf</code> shows on that computer.{' '}
          <Button type="button" size="sm" variant="outline-primary" onClick={() => onKey(met.host_key)}>
            It is the same
          </Button>
        </div>
      ) : (
        <Button type="button" size="sm" variant="outline-primary" disabled={meet.busy || !where.host} onClick={() => meet.go()}>
          {meet.busy ? 'Asking …' : 'Ask it for its key'}
        </Button>
      )}
    </div>
  );
}

type Result = Schemas['TrialResult'];

interface Tried {
  results: Result[];
  busy: boolean;
  problem: Problem | null;
}

const NOT_TRIED: Tried = { results: [], busy: false, problem: null };

/** A trial of a place: `go` begins it, its results come one by one. */
export function useTrial() {
  const [tried, setTried] = useState<Tried>(NOT_TRIED);
  const go = async (medium: Medium, settings: Settings, store: string | null = null) => {
    setTried({ ...NOT_TRIED, busy: true });
    const results: Result[] = [];
    try {
      const body = await told(client.POST('/api/stores/try', { body: { medium, address: settings, path: '', store }, parseAs: 'stream' }));
      if (body)
        await eachLine(body, (line) => {
          results.push(line as Result);
          setTried({ ...NOT_TRIED, busy: true, results: [...results] });
        });
      setTried({ results, busy: false, problem: null });
    } catch (error) {
      setTried({ results, busy: false, problem: problemOf(error as Error) });
    }
  };
  return { ...tried, go: (...told: Parameters<typeof go>) => void go(...told), clear: () => setTried(NOT_TRIED) };
}

export function Trial({ trial, settings }: { trial: ReturnType<typeof useTrial>; settings: Settings }) {
  const denied = trial.results.some((one) => one.lacks_right);
  return (
    <div role="status" aria-label="Trial" className="trial">
      <Refused problem={trial.problem} />
      {trial.results.length > 0 && (
        <ol className="steps-tried">
          {trial.results.map((result) => (
            <li key={result.step}>
              <Mark
                look={
                  result.well
                    ? { shape: 'disc', tone: 'ok', word: TRIAL_STEPS[result.step] }
                    : { shape: result.needed ? 'triangle' : 'half', tone: result.needed ? 'late' : 'soon', word: TRIAL_STEPS[result.step] }
                }
              />
              <span>
                {result.says} {result.remedy && <em>{result.remedy}</em>}
              </span>
            </li>
          ))}
        </ol>
      )}
      {trial.busy && <p className="quiet mb-0">Trying …</p>}
      {denied && settings['bucket'] !== undefined && <Policy settings={settings} />}
    </div>
  );
}

function Policy({ settings }: { settings: Settings }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button size="sm" variant="outline-primary" aria-expanded={open} onClick={() => setOpen(!open)}>
        The rights that the key needs
      </Button>
      {open && (
        <Scroll label="Policy to ask the provider for" className="boxed">
          <pre>{policyFor(settings['bucket'] ?? '', settings['prefix'] ?? '')}</pre>
        </Scroll>
      )}
    </>
  );
}
