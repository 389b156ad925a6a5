/** May this device be wiped? One answer, every reason against it, and what starts what is missing. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Problem, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useDevice } from '../../api/queries';
import { Form } from '../../ui/forms/Form';
import { DeviceTabs } from '../../ui/DeviceTabs';
import { Choice, Field } from '../../ui/forms/Field';
import { OCCASIONS, occasionWord } from '../../ui/occasions';
import { Age, When } from '../../ui/Office';
import { CopyTo } from '../../parts/CopyTo';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading, Refused } from '../../ui/States';

type Wipe = Schemas['Wipe'];
type Reason = Schemas['WipeReason'];

export function WipeScreen() {
  const { id = '' } = useParams();
  const device = useDevice(id);
  const may = useMay();
  const wipe = useQuery({
    queryKey: key('wipe', id),
    queryFn: () => told(client.GET('/api/devices/{id}/wipe', { params: { path: { id } } })),
    refetchInterval: 5_000,
  });
  if (wipe.isPending || device.isPending) return <Loading what="the answer" />;
  if (wipe.isLoadingError) return <FailedScreen problem={problemOf(wipe.error)} onRetry={() => void wipe.refetch()} />;
  if (device.isLoadingError) return <FailedScreen problem={problemOf(device.error)} />;
  const details = wipe.data;
  const mayAct = may('answer');
  return (
    <>
      <Heading title={`May ${device.data.name}, ${device.data.holder}, be wiped?`}>
        {device.data.name} <span className="quiet fw-normal">{device.data.holder}</span>
      </Heading>
      <DeviceTabs id={id} inside={may('look_inside')} />
      <div className="cols">
        <section>
          <div className={details.safe ? 'verdict yes' : 'verdict no'} role="status">
            <span className="word">{details.safe ? 'Yes' : 'No'}</span>
            <span>
              <strong>May this device be wiped?</strong> {details.says}
              <br />
              <span className="quiet">
                {details.backup_at ? (
                  <>
                    Newest backup <Age at={details.backup_at} />
                  </>
                ) : (
                  'No backup'
                )}{' '}
                ·{' '}
                {details.scanned_at ? (
                  <>
                    device looked at <Age at={details.scanned_at} />
                  </>
                ) : (
                  'device not looked at yet'
                )}
              </span>
            </span>
          </div>
          <ol className="reasons">
            {details.reasons.map((reason) => (
              <li key={reason.code + reason.says} className={reason.blocks ? 'blocks' : ''}>
                <div>
                  <strong>{reason.says}</strong>
                  <p>{reason.step}</p>
                </div>
                {mayAct && <Act id={id} wipe={details} reason={reason} planId={device.data.plan_id} />}
              </li>
            ))}
          </ol>
          {details.reasons.length === 0 && <p className="quiet">Nothing speaks against it.</p>}
        </section>
        <aside className="stack">
          {mayAct && <SignOff id={id} wipe={details} />}
          <Signed id={id} />
        </aside>
      </div>
    </>
  );
}

function Act({ id, wipe, reason, planId }: { id: string; wipe: Wipe; reason: Reason; planId: string | null }) {
  const navigate = useNavigate();
  const holding = wipe.stores.filter((store) => store.holds_newest);
  const home = holding[0];
  const run = useAct(
    () =>
      client.POST('/api/devices/{id}/run', {
        params: { path: { id } },
        body: { note: 'before the device is wiped', occasion: 'before_reset' },
      }),
    'run',
  );
  const scan = useAct(() => client.POST('/api/devices/{id}/scan', { params: { path: { id } } }), 'coverage');
  const check = useAct(
    () => client.POST('/api/stores/{id}/check', { params: { path: { id: home?.id ?? '' } }, body: { percent: 100 } }),
    'store',
  );
  const button = (label: string, busy: string, step: { go: () => void; busy: boolean; problem: Problem | null; done: boolean }) => (
    <div className="text-end">
      <Button size="sm" variant="outline-primary" disabled={step.busy || step.done} onClick={step.go}>
        {step.busy ? busy : step.done ? 'Started' : label}
      </Button>
      <Refused problem={step.problem} />
    </div>
  );
  switch (reason.remedy) {
    case 'run':
      return wipe.active_run ? <Link to={`/history/${wipe.active_run}`}>A run is under way</Link> : button('Run a backup', 'Asking …', run);
    case 'look':
      return button('Look at it now', 'Looking …', scan);
    case 'check':
      return home ? button(`Check ${home.name}`, 'Asking …', check) : null;
    case 'copy':
      return wipe.backup_id ? (
        <CopyTo
          backupId={wipe.backup_id}
          besides={holding.map((store) => store.id)}
          otherwise={<Link to="/storage/add">Add a store</Link>}
        />
      ) : null;
    case 'prove':
      return home ? <Link to={`/storage/${home.id}`}>Prove it</Link> : null;
    case 'plan':
      return (
        <Button size="sm" variant="outline-primary" onClick={() => void navigate(planId ? `/plans/${planId}` : '/plans')}>
          Open its plan
        </Button>
      );
    default:
      return null;
  }
}

function SignOff({ id, wipe }: { id: string; wipe: Wipe }) {
  const navigate = useNavigate();
  const [body, setBody] = useState<Schemas['SignOffRequest']>({ occasion: 'before_reset', note: '' });
  const sign = useAct(
    () => client.POST('/api/devices/{id}/wipe', { params: { path: { id } }, body }),
    'answer',
    (signed) => void navigate(`/wipe-answers/${signed.id}`),
  );
  const problem = sign.problem;
  return (
    <section>
      <h2>Sign it off</h2>
      <Form className="sheet pad" onSubmit={() => sign.go()} problem={problem}>
        <p>Writes the answer of this moment into the journal, in your name, as it stands: {wipe.safe ? 'yes' : 'no, with its reasons'}.</p>
        <Choice
          label="Occasion"
          value={body.occasion}
          onChange={(occasion) => setBody({ ...body, occasion: occasion as typeof body.occasion })}
          options={OCCASIONS.filter((one) => one.value)}
          field="occasion"
        />
        <Field label="Note" value={body.note} onChange={(note) => setBody({ ...body, note })} maxLength={300} />
        <Button type="submit" disabled={sign.busy}>
          Sign and print
        </Button>
      </Form>
    </section>
  );
}

function Signed({ id }: { id: string }) {
  const signed = useQuery({
    queryKey: key('wipe', id, 'signed'),
    queryFn: () => told(client.GET('/api/devices/{id}/wipe/answers', { params: { path: { id } } })),
  });
  if (!signed.data?.length) return null;
  return (
    <section>
      <h2>Signed before</h2>
      <ul className="sheet pad log">
        {signed.data.map((one) => (
          <li key={one.id}>
            <Link to={`/wipe-answers/${one.id}`}>
              <When at={one.at} />
            </Link>
            <span>
              {one.safe ? 'yes' : 'no'}, {occasionWord(one.occasion)}, {one.by_name}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
