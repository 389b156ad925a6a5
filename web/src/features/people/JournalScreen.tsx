import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';

const PAGE = 50;

/** Who did what, when. Read only: nothing removes a line. */
export function JournalScreen() {
  const [params, setParams] = useSearchParams();
  const page = Number(params.get('page') ?? 1);
  const journal = useQuery({
    queryKey: key('journal', page),
    queryFn: () => told(client.GET('/api/journal', { params: { query: { page, page_size: PAGE } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <Heading title="Journal" />
      <p className="sub">Who did what, when. Lines are only ever added.</p>
      <div className="sheet">
        {journal.isPending && <Loading what="the journal" />}
        {journal.isLoadingError && <Failed problem={problemOf(journal.error)} onRetry={() => void journal.refetch()} />}
        {journal.data?.results.length === 0 && <Empty>Nobody has done anything yet.</Empty>}
        {journal.data && journal.data.results.length > 0 && (
          <div className="scroll">
            <table className="rows">
              <thead>
                <tr>
                  <th scope="col">When</th>
                  <th scope="col">Who</th>
                  <th scope="col">What</th>
                </tr>
              </thead>
              <tbody>
                {journal.data.results.map((line) => (
                  <tr key={line.id}>
                    <td className="nowrap">
                      <When at={line.at} />
                    </td>
                    <td className="nowrap">{line.who_name}</td>
                    <td>{line.says}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
        <Pager page={page} pageSize={PAGE} count={journal.data?.count ?? 0} onPage={(next) => setParams({ page: String(next) })} />
      </div>
    </>
  );
}
