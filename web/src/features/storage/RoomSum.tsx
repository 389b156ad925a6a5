/** What the ticked moves free together, and the list once more before anything leaves. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { Bytes } from '../../ui/Bytes';
import { grouped, iec, plainDay } from '../../ui/format';
import { Failed } from '../../ui/States';
import { MakeRoom } from './MakeRoom';
import { goesWords, restWords, wantedWords, type Bench, type Sum } from './room';

interface Props {
  id: string;
  bench: Bench;
  picked: readonly string[];
  wanted: number | null;
  onMade: () => void;
}

export function RoomSum({ id, bench, picked, wanted, onMade }: Props) {
  const may = useMay();
  const [looking, setLooking] = useState(false);
  const sum = useQuery({
    queryKey: key('stores', id, 'room', 'sum', picked),
    queryFn: () => told(client.POST('/api/stores/{id}/room/sum', { params: { path: { id } }, body: { moves: [...picked] } })),
    placeholderData: keepPreviousData,
    enabled: may('remove') && picked.length > 0,
    staleTime: 60_000,
    retry: false,
  });
  if (!may('remove')) return <p className="sheet pad">Only who may remove backups makes room. What could go is shown.</p>;
  return (
    <div className="sheet pad room-sum" aria-live="polite">
      <Column bench={bench} back={picked.length > 0 ? (sum.data?.given_back_bytes ?? 0) : 0} wanted={wanted} />
      {picked.length === 0 && <p className="mb-0">Nothing is ticked. Say how much room is wanted, or tick what may go.</p>}
      {picked.length > 0 && sum.isPending && <p className="quiet">Counting …</p>}
      {sum.isLoadingError && <Failed problem={problemOf(sum.error)} onRetry={() => void sum.refetch()} />}
      {picked.length > 0 && sum.data && <Told sum={sum.data} wanted={wanted} waits={bench.waits_for.length > 0} />}
      {picked.length > 0 && (
        <Button onClick={() => setLooking(true)} disabled={!sum.data}>
          Look at the list once more
        </Button>
      )}
      {looking && <MakeRoom id={id} picked={picked} onClose={() => setLooking(false)} onMade={onMade} />}
    </div>
  );
}

function Told({ sum, wanted, waits }: { sum: Sum; wanted: number | null; waits: boolean }) {
  return (
    <>
      <p className="large mb-1">{iec(sum.given_back_bytes)}</p>
      <p>
        {grouped(sum.given_back_bytes)} bytes given back{sum.free_on && !waits && `, the last of them free on ${plainDay(sum.free_on)}`}.{' '}
        {sum.free_on && (
          <span className="quiet">
            <Bytes count={sum.bytes} /> are needed by nothing then; {restWords(sum)}
          </span>
        )}
      </p>
      {sum.later_on && (
        <p>
          <strong>{iec(sum.later_bytes)} in time</strong>: {grouped(sum.later_bytes)} bytes that nothing else needs, as the backups of now
          go, the last of them by {plainDay(sum.later_on)} if the nights go on.
        </p>
      )}
      <p>
        {wantedWords(sum, wanted)} {goesWords(sum)} {sum.lasts_until && `At the pace of now it lasts until ${plainDay(sum.lasts_until)}.`}
      </p>
    </>
  );
}

/** The store as a column: what it holds, what would be free, where its limit is. */
function Column({ bench, back, wanted }: { bench: Bench; back: number; wanted: number | null }) {
  const whole = Math.max(bench.limit_bytes ?? bench.stored_bytes, bench.stored_bytes, 1);
  const percent = (bytes: number) => `${Math.max(0, Math.min(100, (bytes / whole) * 100))}%`;
  const after = bench.stored_bytes - back;
  return (
    <div className="column" role="img" aria-label={`${iec(after)} of ${iec(whole)} are held afterwards, ${iec(back)} are given back`}>
      <i className="held" style={{ height: percent(after) }} />
      <i className="back" style={{ bottom: percent(after), height: percent(back) }} />
      {wanted !== null && <b style={{ bottom: percent(bench.stored_bytes - wanted) }} title={`${iec(wanted)} wanted`} />}
    </div>
  );
}
