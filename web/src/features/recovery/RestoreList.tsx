import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';

import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import { Mark } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { RESTORE_STATES, wentTo } from './words';

/** The last restores; nothing while there are none. */
export function RestoreList() {
  const restores = useQuery({
    queryKey: key('restores'),
    queryFn: () => told(client.GET('/api/restores', { params: { query: { page_size: 8 } } })),
  });
  if (!restores.data || restores.data.results.length === 0) return null;
  return (
    <section className="mt-3">
      <h2>Restored before</h2>
      <div className="sheet scroll">
        <table className="rows cards">
          <tbody>
            {restores.data.results.map((restore) => (
              <tr key={restore.id} className="linked">
                <td>
                  <Mark look={RESTORE_STATES[restore.state]} />
                </td>
                <td>
                  <Link className="title-link" to={`/restore/${restore.id}`}>
                    {restore.source_name}, {restore.source_holder}
                  </Link>{' '}
                  <span className="quiet">
                    of <When at={restore.backup_at} />
                  </span>
                </td>
                <td>{wentTo(restore)}</td>
                <td className="nowrap">
                  <When at={restore.asked_at} withAge />
                </td>
                <td>{restore.by_name}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
