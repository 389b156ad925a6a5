/** So that tonight fits: which runs find no room, and what really helps by then. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { iec, plainDay } from '../../ui/format';
import { Confirm } from '../../ui/forms/Confirm';
import { daysOn } from '../../ui/forms/dates';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';
import { When } from '../../ui/Office';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { lackingWords, type TonightTold } from './room';

type Way = Schemas['Way'];

export function Tonight({ id }: { id: string }) {
  const answer = useQuery({
    queryKey: key('stores', id, 'room', 'tonight'),
    queryFn: () => told(client.GET('/api/stores/{id}/room/tonight', { params: { path: { id } } })),
    retry: false,
  });
  if (answer.isPending) return <Loading what="the coming night" />;
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  const { short, lacking, ways, night } = answer.data;
  if (short.length === 0) return <Empty>Every run of the coming night is expected to find room here.</Empty>;
  return (
    <>
      <ul className="mb-2">
        {short.map((one) => (
          <li key={one.device_id}>
            <Link to={`/devices/${one.device_id}`}>{one.device}</Link> at <When at={one.starts_at} />, about {iec(one.expected_bytes)}{' '}
            <span className="quiet">{one.says}</span>
          </li>
        ))}
      </ul>
      {lacking.length === 0 && <p className="mb-0">By what was measured since there is room; the line-up is made anew in a while.</p>}
      {lacking.map((one) => (
        <Room key={one.key} id={id} one={one} night={night} ways={ways.filter((way) => way.room === one.key)} />
      ))}
    </>
  );
}

function Room({ id, one, night, ways }: { id: string; one: TonightTold['lacking'][number]; night: string; ways: readonly Way[] }) {
  return (
    <section aria-label={`What helps ${one.name}`}>
      <h2>{lackingWords(one)}</h2>
      {ways.length === 0 && <Empty>Nothing that could be free by tonight.</Empty>}
      <ul className="ways">
        {ways.map((way) => (
          <li key={way.help + way.title}>
            <div>
              <strong>{way.title}</strong>{' '}
              <span className={way.suffices ? 'tone-ok' : 'quiet'}>
                {way.suffices ? 'suffices' : `${iec(way.bytes)}, not enough alone`}
              </span>
              <div className="quiet">
                {way.says}
                {way.help === 'sooner' && `; free on ${plainDay(way.free_on)}`}
              </div>
            </div>
            <Step id={id} way={way} night={night} />
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The step itself, or the page on which it is taken. */
function Step({ id, way, night }: { id: string; way: Way; night: string }) {
  const may = useMay();
  switch (way.help) {
    case 'fall_over':
      return <Link to={`/plans/${way.plan ?? ''}`}>The plan</Link>;
    case 'allowance':
      return <Link to={`/storage/${id}`}>{way.limit_bytes ? `To ${iec(way.limit_bytes)}` : 'Its allowances'}</Link>;
    case 'wait':
      return may('pause') ? <Wait device={way.device ?? ''} title={way.title} night={night} /> : null;
    case 'sweep':
      return may('remove') ? <Sweep id={id} /> : null;
    case 'sooner':
      return may('remove') ? <Sooner id={id} /> : null;
  }
}

function Sweep({ id }: { id: string }) {
  const sweep = useAct(() => client.POST('/api/stores/{id}/room/sweep', { params: { path: { id } } }), 'store');
  return (
    <>
      <Button size="sm" variant="outline-primary" disabled={sweep.busy || sweep.done} onClick={() => sweep.go()}>
        {sweep.done ? 'Asked for' : 'Sweep it'}
      </Button>
      <Refused problem={sweep.problem} />
    </>
  );
}

function Wait({ device, title, night }: { device: string; title: string; night: string }) {
  const [asking, setAsking] = useState(false);
  const body = { plan: null, device, until: daysOn(night, 1), reason: 'No room for its run tonight' };
  const wait = useAct(
    () => client.POST('/api/pauses', { body }),
    ['pause', 'store'],
    () => setAsking(false),
  );
  return (
    <>
      <Button size="sm" variant="outline-primary" onClick={() => setAsking(true)}>
        Let it wait …<span className="visually-hidden"> {title}</span>
      </Button>
      <Refused problem={wait.problem} />
      {asking && (
        <Confirm title={`${title}?`} action="Let it wait" onCancel={() => setAsking(false)} onConfirm={() => wait.go()}>
          <p>
            It is paused until {plainDay(body.until)}: nothing of it is saved tonight, and the night is not owed. Its page ends the pause.
          </p>
        </Confirm>
      )}
    </>
  );
}

function Sooner({ id }: { id: string }) {
  const [asking, setAsking] = useState(false);
  const [why, setWhy] = useState('');
  const [word, setWord] = useState('');
  const params = { path: { id } };
  const end = useAct(
    () => client.POST('/api/stores/{id}/room/sooner', { params, body: { why, word } }),
    ['store', 'backup'],
    () => setAsking(false),
  );
  return (
    <>
      <Button size="sm" variant="outline-danger" onClick={() => setAsking(true)}>
        End it …
      </Button>
      {asking && (
        <Dialog
          title="End the undo period of what leaves here?"
          action="End it"
          danger
          onSubmit={() => end.go()}
          onCancel={() => setAsking(false)}
          problem={end.problem}
          busy={end.busy}
        >
          <p>
            It cannot be taken back any more. What is on hold, and what a safeguard keeps, stays all the same; grace periods stay as they
            are.
          </p>
          <Field label="Why" value={why} onChange={setWhy} maxLength={200} field="why" required />
          <Field label="Type “sooner” to go on" value={word} onChange={setWord} field="word" autoComplete="off" required />
        </Dialog>
      )}
    </>
  );
}
