/** What the server trusts of itself: its clock, and where its key lies. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { When } from '../../ui/Office';
import { Failed, Loading, Refused } from '../../ui/States';
import { heard, keyPlaceWords, offWords } from './words';

export function Clock({ mayChange }: { mayChange: boolean }) {
  const [sure, setSure] = useState(false);
  const clock = useQuery({ queryKey: key('clock'), queryFn: () => told(client.GET('/api/clock')), refetchInterval: 10_000 });
  const settle = useAct(
    () => client.POST('/api/clock/settle'),
    'clock',
    () => setSure(false),
  );
  if (clock.isPending) return <Loading what="the clock" />;
  if (clock.isLoadingError) return <Failed problem={problemOf(clock.error)} onRetry={() => void clock.refetch()} />;
  const details = clock.data;
  return (
    <section className="mt-3" id="clock">
      <h2>The server's clock</h2>
      <div className="sheet pad">
        <p className="mb-1">
          It shows <When at={details.now} />.
        </p>
        {details.doubt_since ? (
          <div className="said bad" role="status">
            <strong>{details.says}.</strong> Until that is settled nothing is removed, swept, or planned far ahead. Set the clock right,
            wait until two others agree with it, or compare it with a watch.
            {mayChange && (
              <p className="mt-2 mb-0">
                {!sure && (
                  <Button size="sm" variant="outline-danger" onClick={() => setSure(true)}>
                    It is right …
                  </Button>
                )}
                {sure && (
                  <>
                    Rules and sweeps go by it again at once.{' '}
                    <Button size="sm" variant="danger" disabled={settle.busy} onClick={() => settle.go()}>
                      I have compared it: it is right
                    </Button>{' '}
                    <Button size="sm" variant="outline-secondary" onClick={() => setSure(false)}>
                      Cancel
                    </Button>
                  </>
                )}
              </p>
            )}
          </div>
        ) : (
          <p className="mb-1">It is believed. {details.settled_at && <span className="quiet">{details.settled_why}</span>}</p>
        )}
        <Refused problem={settle.problem} />
        {details.witnesses.length > 0 ? (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">Heard</th>
                <th scope="col">Its clock</th>
                <th scope="col">When</th>
              </tr>
            </thead>
            <tbody>
              {heard(details.witnesses)
                .slice(0, 8)
                .map((witness) => (
                  <tr key={witness.name}>
                    <td>{witness.name}</td>
                    <td>{offWords(witness.off_seconds)}</td>
                    <td className="nowrap">
                      <When at={witness.at} withAge />
                    </td>
                  </tr>
                ))}
            </tbody>
          </table>
        ) : (
          <p className="hint mb-0">
            Nobody else has told the time yet. Devices, the mail server, buckets and the system's own time service are asked.
          </p>
        )}
      </div>
    </section>
  );
}

export function ServerKey() {
  const own = useQuery({ queryKey: key('server-key'), queryFn: () => told(client.GET('/api/server-key')) });
  if (own.isPending) return <Loading what="the key" />;
  if (own.isLoadingError) return <Failed problem={problemOf(own.error)} onRetry={() => void own.refetch()} />;
  const row = own.data;
  return (
    <section className="mt-3">
      <h2>The server's key</h2>
      <div className="sheet pad">
        {row.trouble && (
          <div className="said bad" role="status">
            <strong>Nothing runs: {row.trouble}</strong> {row.remedy}
          </div>
        )}
        <dl className="facts">
          <dt>Where it lies</dt>
          <dd>
            {keyPlaceWords(row.kind)} <span className="quiet">{row.where}</span>
          </dd>
          <dt>A thief of the disk gets</dt>
          <dd>{row.thief}</dd>
          {row.fingerprint && (
            <>
              <dt>Fingerprint</dt>
              <dd>
                <code>{row.fingerprint}</code>
              </dd>
            </>
          )}
        </dl>
        <p className="hint mb-0">
          It opens the stores for runs at night. Another place is chosen when the server starts: <code>--own file:/PATH</code>,{' '}
          <code>credential:NAME</code>, or <code>typed</code>.
        </p>
      </div>
    </section>
  );
}
