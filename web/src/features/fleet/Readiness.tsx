/** Is it ready? What the device says now, each finding with its step, in the order of doing. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useLocation } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { Field } from '../../ui/forms/Field';
import { Form } from '../../ui/forms/Form';
import { Guide } from '../../ui/Guide';
import { Failed } from '../../ui/States';

type Finding = Schemas['Finding'];

const LEVELS: Record<Finding['level'], string> = { blocks: 'stops a run', warns: 'to know', fine: 'fine', untold: '' };
const SIGNS: Record<Finding['level'], string> = { blocks: '■', warns: '◇', fine: '✓', untold: '' };

export function Readiness({ id }: { id: string }) {
  const queries = useQueryClient();
  // come to for its steps: they are shown, not offered
  const called = useLocation().hash === '#ready';
  const [asked, setAsked] = useState(called);
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => {
    if (called) heading.current?.scrollIntoView({ block: 'center' });
  }, [called]);
  const ready = useQuery({
    queryKey: key('readiness', id),
    queryFn: () => told(client.GET('/api/devices/{id}/readiness', { params: { path: { id } } })),
    enabled: asked,
    retry: false,
    staleTime: Infinity,
    refetchOnWindowFocus: false,
    // somebody may be walking to the device to say yes: look again by itself
    refetchInterval: (query) =>
      query.state.data?.findings.some((finding) => finding.code === 'accepted' && finding.level === 'blocks') ? 3_000 : false,
  });
  const ask = async () => {
    if (asked) await ready.refetch();
    else setAsked(true);
    await queries.invalidateQueries({ queryKey: key('devices', id) });
  };
  const details = ready.data;
  const said = details?.findings.filter((finding) => finding.level !== 'untold') ?? [];
  const untold = details?.cannot_tell ?? [];
  const unpaired = said.some((finding) => finding.code === 'paired' && finding.level === 'blocks');
  return (
    <section>
      <h2 id="ready" ref={heading}>
        Is it ready?
      </h2>
      <div className="sheet pad" aria-live="polite">
        <Button size="sm" variant="outline-primary" onClick={() => void ask()} disabled={ready.isFetching}>
          {ready.isFetching ? 'Asking …' : 'Ask the device now'}
        </Button>
        {ready.isLoadingError && <Failed problem={problemOf(ready.error)} />}
        <ul className="findings">
          {said.map((finding) => (
            <li key={finding.code} className={`level-${finding.level}`}>
              <span aria-hidden="true">{SIGNS[finding.level]}</span>
              <div>
                <span className="visually-hidden">{LEVELS[finding.level]}: </span>
                {finding.level === 'fine' ? finding.says : <strong>{finding.says}</strong>}
                {finding.step && <p>{finding.step}</p>}
              </div>
            </li>
          ))}
        </ul>
        {untold.length > 0 && <Guide title="What this link cannot tell" steps={untold} />}
        {details && !details.reachable && <Guide title="When it is not seen at all" steps={details.not_seen} open={!unpaired} />}
        {unpaired && <PairAgain id={id} steps={details?.first_time ?? []} onPaired={ask} />}
      </div>
    </section>
  );
}

function PairAgain({ id, steps, onPaired }: { id: string; steps: string[]; onPaired: () => Promise<void> }) {
  const [code, setCode] = useState('');
  const again = useAct(
    () => client.POST('/api/devices/{id}/pair-again', { params: { path: { id } }, body: { code } }),
    'device',
    () => {
      setCode('');
      void onPaired();
    },
  );
  return (
    <Form className="mt-2" onSubmit={() => again.go()} problem={again.problem}>
      <h3>Pair again</h3>
      <Guide title="How" steps={steps} />
      <div className="row-end">
        <Field compact label="Pairing code" value={code} onChange={setCode} autoComplete="off" field="code" />
        <Button type="submit" size="sm" variant="outline-primary" disabled={again.busy || !code}>
          Pair
        </Button>
      </div>
    </Form>
  );
}
