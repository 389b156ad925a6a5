/** Making room in a store: a bench with its sum always in view. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Empty, Loading } from '../../ui/States';
import { Ladder } from './RoomLadder';
import { RoomSum } from './RoomSum';
import { Wanted } from './RoomWanted';
import { ladder, stillOffered, type Bench } from './room';

export function RoomScreen() {
  const { id = '' } = useParams();
  const bench = useQuery({
    queryKey: key('stores', id, 'room'),
    queryFn: () => told(client.GET('/api/stores/{id}/room', { params: { path: { id } } })),
    retry: false,
  });
  if (bench.isPending) return <Loading what="what could go; the whole store is read for that" />;
  if (bench.isLoadingError) return <FailedScreen problem={problemOf(bench.error)} onRetry={() => void bench.refetch()} />;
  return <TheBench id={id} bench={bench.data} />;
}

function TheBench({ id, bench }: { id: string; bench: Bench }) {
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [wanted, setWanted] = useState<number | null>(null);
  const queries = useQueryClient();
  const rungs = ladder(bench);
  return (
    <>
      <Heading title={`Make room in ${bench.store_name}`} />
      <p className="sub">
        Shared bytes count once, whatever you combine. Nothing on hold, no last good and no only intact copy is offered. {bench.runway.says}{' '}
        <Link to={`/storage/${id}`}>The store</Link>
      </p>
      {bench.waits_for.map((says) => (
        <p key={says} className="said">
          {says}. The store gives nothing back until that ends. <Link to="/leaving">What leaves</Link>
        </p>
      ))}
      <div className="cols">
        <section>
          <Wanted
            id={id}
            onProposed={(told) => {
              const moves = new Set(told.moves);
              queries.setQueryData(key('stores', id, 'room', 'sum', stillOffered(moves, bench.offers)), told.sum);
              setPicked(moves);
              setWanted(told.wanted_bytes);
            }}
          />
          {rungs.length === 0 && (
            <div className="sheet">
              <Empty>There is nothing here that could go: everything is the last of its kind, on hold, or young.</Empty>
            </div>
          )}
          <Ladder rungs={rungs} waits={bench.waits_for.length > 0} picked={picked} onPick={setPicked} />
        </section>
        <aside>
          <RoomSum id={id} bench={bench} picked={stillOffered(picked, bench.offers)} wanted={wanted} onMade={() => setPicked(new Set())} />
        </aside>
      </div>
    </>
  );
}
