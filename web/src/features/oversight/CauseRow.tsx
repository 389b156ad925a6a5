/** One thing that needs a person: how many devices, since when, its next step, and the way to put it off. */
import Button from 'react-bootstrap/Button';
import { Link, useNavigate } from 'react-router';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { counted, grouped } from '../../ui/format';
import { CAUSE_MARKS, Mark } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Refused } from '../../ui/States';
import { PutOff } from './PutOff';
import { stepAddress } from './steps';

type Cause = Schemas['Cause'];

export function CauseRow({ cause }: { cause: Cause }) {
  const may = useMay();
  return (
    <div className="cause">
      <div className="n">{cause.count ? grouped(cause.count) : ''}</div>
      <div>
        <p className="why">
          <Mark look={CAUSE_MARKS[cause.mark]} wordless /> {cause.says}
        </p>
        <p className="who">
          {cause.opened_at && (
            <>
              since <When at={cause.opened_at} />
              {cause.devices.length > 0 && ': '}
            </>
          )}
          <Named cause={cause} />
        </p>
      </div>
      <div className="acts">
        {cause.step === 'run' ? may('run') && <RunAll cause={cause} /> : <NextStep cause={cause} />}
        {cause.incident_id && may('settle') && (
          <PutOff id={cause.incident_id} what={cause.says} until={cause.put_off_until} why={cause.put_off_why} />
        )}
      </div>
    </div>
  );
}

/** The first few devices by name, and the way to all of them. */
function Named({ cause }: { cause: Cause }) {
  const rest = cause.count - cause.devices.length;
  return (
    <>
      {cause.devices.map((device, n) => (
        <span key={device.id}>
          {n > 0 && ', '}
          <Link to={`/devices/${device.id}${cause.step === 'open' ? '#ready' : ''}`}>
            {device.name} ({device.holder})
          </Link>
        </span>
      ))}
      {rest > 0 && (
        <>
          {' '}
          and <Link to={`/devices?order=lateness&cause=${encodeURIComponent(cause.code)}`}>{grouped(rest)} more</Link>
        </>
      )}
    </>
  );
}

function NextStep({ cause }: { cause: Cause }) {
  const navigate = useNavigate();
  const go = () => {
    const address = stepAddress(cause);
    if (address === null) window.location.reload();
    else void navigate(address);
  };
  return (
    <Button variant={cause.mark === 'late' ? 'primary' : 'outline-primary'} size="sm" onClick={go}>
      {cause.step_label}
      <span className="visually-hidden">: {cause.says}</span>
    </Button>
  );
}

/** One request for all of its devices; what could not be asked is said with the reason. */
function RunAll({ cause }: { cause: Cause }) {
  const run = useAct(() => client.POST('/api/causes/run', { body: { code: cause.code } }), 'run');
  return (
    <>
      <Button variant={cause.mark === 'late' ? 'primary' : 'outline-primary'} size="sm" onClick={() => run.go()} disabled={run.busy}>
        {run.busy ? 'Asking …' : cause.step_label}
        <span className="visually-hidden">: {cause.says}</span>
      </Button>
      <Refused problem={run.problem} />
      {run.told && (
        <span className="quiet" role="status">
          {counted(run.told.asked, 'run')} asked.
          {run.told.refused.map((one) => (
            <span key={one.says} className="d-block tone-late">
              {counted(one.devices, 'device')} not: {one.says}
            </span>
          ))}
        </span>
      )}
    </>
  );
}
