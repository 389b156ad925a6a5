/** One request: what was erased, from where, when the last byte went, and what was left; a page for the file. */
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { plainDay } from '../../ui/format';
import { Confirm } from '../../ui/forms/Confirm';
import { When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading, Refused } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { erased, standing, stepWords } from './erasing';

type Erasure = Schemas['Erasure'];
type Step = Erasure['steps'][number];

const STEPS: readonly Column<Step>[] = [
  { head: 'Store', className: 'nowrap', cell: (step) => <Link to={`/storage/${step.store_id}`}>{step.store_name}</Link> },
  { head: 'Backups', number: true, cell: (step) => (step.state === 'waiting' && step.backups === 0 ? '–' : step.backups) },
  { head: 'State', cell: (step) => <StepState step={step} /> },
  { head: 'Erased', className: 'nowrap', cell: (step) => (step.erased_at ? <When at={step.erased_at} /> : '–') },
  { head: 'Last byte gone', className: 'nowrap', cell: (step) => (step.gone_at ? <When at={step.gone_at} /> : '–') },
];

export function ErasureScreen() {
  const { id = '' } = useParams();
  const answer = useQuery({
    queryKey: key('erasures', id),
    queryFn: () => told(client.GET('/api/erasures/{id}', { params: { path: { id } } })),
  });
  if (answer.isPending) return <Loading what="the request" />;
  if (answer.isLoadingError) return <FailedScreen problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  return <Page row={answer.data} />;
}

function Page({ row }: { row: Erasure }) {
  return (
    <article className="record">
      <div className="head">
        <Heading title={`Erased on request: ${row.reference}`} />
        <div className="row-end not-printed">
          <Link to="/erasing">All requests</Link>
          {row.state === 'asked' && <CallOff id={row.id} />}
          {row.state === 'done' && !row.whole && !row.taken_again_at && <TakeAgain id={row.id} />}
          <Button variant="outline-primary" onClick={() => window.print()}>
            Print
          </Button>
        </div>
      </div>
      <Facts row={row} />
      <h2>Store by store</h2>
      <div className="sheet scroll">
        <Table columns={STEPS} rows={row.steps} keyOf={(step) => step.store_id} />
      </div>
      <h2>What this does not reach</h2>
      <ul>
        <li>Files that were saved or restored before: this server keeps none of them, and knows nothing of copies made of them.</li>
        <li>The device itself, and the service that its own cloud backup goes to.</li>
        <li>Lines of the journal about the device: they name no item, and they stay.</li>
      </ul>
    </article>
  );
}

function Facts({ row }: { row: Erasure }) {
  return (
    <dl className="facts">
      <dt>What</dt>
      <dd>{erased(row)}</dd>
      <dt>State</dt>
      <dd>{standing(row)}</dd>
      <dt>Asked</dt>
      <dd>
        <When at={row.asked_at} /> by {row.by}, not before {plainDay(row.begins_on)}
      </dd>
      <dt>Last byte</dt>
      <dd>
        {row.done_at ? <When at={row.done_at} /> : row.ends_on ? `expected on ${plainDay(row.ends_on)}` : 'hangs on what is said below'}
      </dd>
      {row.called_off_at && (
        <>
          <dt>Called off</dt>
          <dd>
            <When at={row.called_off_at} /> by {row.called_off_by}: {row.called_off_why}
          </dd>
        </>
      )}
      {!row.whole && row.state !== 'called_off' && (
        <>
          <dt>From now on</dt>
          <dd>
            {row.taken_again_at ? (
              <>
                runs may take it again, since <When at={row.taken_again_at} />
              </>
            ) : (
              'no run takes it again: a mark is kept that knows it without naming it'
            )}
          </dd>
        </>
      )}
      {row.forgets_names && (
        <>
          <dt>Names</dt>
          <dd>{row.done_at ? 'forgotten' : 'go at the end'}</dd>
        </>
      )}
    </dl>
  );
}

function StepState({ step }: { step: Step }) {
  return (
    <>
      {stepWords(step)}
      {step.remedy && <span className="quiet"> {step.remedy}</span>}
      {step.needed_by.length > 0 && (
        <span className="quiet"> The same content is in backups of {step.needed_by.join(', ')}, and stays there.</span>
      )}
    </>
  );
}

interface AskProps {
  label: string;
  title: string;
  action: string;
  reason: string;
  send: ReturnType<typeof sendCallOff> | ReturnType<typeof sendTakeAgain>;
  children: ReactNode;
}

const sendCallOff = (id: string) => (why: string) =>
  client.POST('/api/erasures/{id}/call-off', { params: { path: { id } }, body: { why } });
const sendTakeAgain = (id: string) => (why: string) =>
  client.POST('/api/erasures/{id}/take-again', { params: { path: { id } }, body: { why } });

/** A change of the request that needs a reason. */
function Ask({ label, title, action, reason, send, children }: AskProps) {
  const may = useMay();
  const [asking, setAsking] = useState(false);
  const act = useAct(send, ['erasure', 'device']);
  if (!may('remove')) return null;
  return (
    <>
      <Refused problem={act.problem} />
      <Button variant="outline-primary" onClick={() => setAsking(true)}>
        {label}
      </Button>
      {asking && (
        <Confirm
          title={title}
          action={action}
          reason={reason}
          onCancel={() => setAsking(false)}
          onConfirm={(why) => {
            setAsking(false);
            act.go(why);
          }}
        >
          {children}
        </Confirm>
      )}
    </>
  );
}

function CallOff({ id }: { id: string }) {
  return (
    <Ask label="Call it off …" title="Erase nothing after all?" action="Call it off" reason="Why it is not erased" send={sendCallOff(id)}>
      <p>Everything stays where it is. The request stays in the list, with your reason.</p>
    </Ask>
  );
}

function TakeAgain({ id }: { id: string }) {
  return (
    <Ask
      label="Let runs take it again …"
      title="May it be backed up again?"
      action="Let runs take it"
      reason="Why it may be backed up again"
      send={sendTakeAgain(id)}
    >
      <p>What the stores held of it stays gone. If it is on the device, the next run takes it.</p>
    </Ask>
  );
}
