/** Teams by kinds: a square as large as its share, and the number beside it. */
import { useQuery } from '@tanstack/react-query';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useKinds } from '../../api/queries';
import { iec } from '../../ui/format';
import { Empty, Failed, Loading } from '../../ui/States';
import { matrix } from './kinds';
import { hueOf, teamWord, type StoreRow } from './teams';

export function KindsByTeam({ store, stores }: { store: Pick<StoreRow, 'id' | 'name'>; stores: readonly StoreRow[] }) {
  const kinds = useKinds();
  const answer = useQuery({
    queryKey: key('stores', store.id, 'kinds'),
    queryFn: () => told(client.GET('/api/stores/{id}/occupied/kinds', { params: { path: { id: store.id } } })),
  });
  if (answer.isPending || kinds.isPending) return <Loading what="whose bytes lie there" />;
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  if (kinds.isLoadingError) return <Failed problem={problemOf(kinds.error)} onRetry={() => void kinds.refetch()} />;
  if (answer.data.length === 0) return <Empty>Nothing of {store.name} has been measured yet.</Empty>;
  const { columns, rows } = matrix(
    answer.data,
    kinds.data.map((one) => [one.code, one.label]),
  );
  return (
    <table className="rows squares">
      <thead>
        <tr>
          <th scope="col">Team</th>
          {columns.map((column) => (
            <th key={column} scope="col">
              {column}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.team}>
            <th scope="row">{teamWord(row.team)}</th>
            {row.cells.map(({ bytes, side }, n) => (
              <td key={columns[n]}>
                {bytes > 0 && (
                  <>
                    <i aria-hidden="true" style={{ width: side, height: side, background: `var(--hue-${hueOf(row.team, stores)})` }} />
                    {iec(bytes)}
                  </>
                )}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
