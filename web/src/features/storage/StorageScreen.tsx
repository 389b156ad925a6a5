import { Link, useNavigate } from 'react-router';
import Button from 'react-bootstrap/Button';

import { problemOf } from '../../api/client';
import { useMay } from '../../api/may';
import { useStores } from '../../api/queries';
import { Bytes } from '../../ui/Bytes';
import { Gauge } from '../../ui/Gauge';
import { When } from '../../ui/Office';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';

/** Every store: what it holds, what it may hold, when it was last proven. */
export function StorageScreen() {
  const stores = useStores();
  const may = useMay();
  const navigate = useNavigate();
  return (
    <>
      <div className="head">
        <div>
          <Heading title="Storage" />
          <p className="sub mb-0">Where the bytes are, whose they are, and how much room is left.</p>
        </div>
        {may('set_up') && <Button onClick={() => void navigate('/storage/add')}>Add a store</Button>}
      </div>
      <div className="sheet scroll">
        {stores.isPending && <Loading what="stores" />}
        {stores.isLoadingError && <Failed problem={problemOf(stores.error)} onRetry={() => void stores.refetch()} />}
        {stores.data?.length === 0 && <Empty>No store yet. A store is a folder or drive that holds encrypted backups.</Empty>}
        {stores.data && stores.data.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">Store</th>
                <th scope="col" style={{ width: 220 }}>
                  Used
                </th>
                <th scope="col" className="num">
                  Stored
                </th>
                <th scope="col" className="num">
                  Allowance
                </th>
                <th scope="col" className="num">
                  Free on its medium
                </th>
                <th scope="col">Checked</th>
              </tr>
            </thead>
            <tbody>
              {stores.data.map((store) => (
                <tr key={store.id} className="linked">
                  <td>
                    <Link className="title-link" to={`/storage/${store.id}`}>
                      {store.name}
                    </Link>
                    {store.trouble && <div className="tone-late">{store.trouble}</div>}
                  </td>
                  <td>
                    <Gauge used={store.stored_bytes} waiting={store.waiting_bytes} limit={store.allowance_bytes} label={store.name} />
                  </td>
                  <td className="num">
                    <Bytes count={store.stored_bytes} />
                  </td>
                  <td className="num">{store.allowance_bytes ? <Bytes count={store.allowance_bytes} /> : 'none set'}</td>
                  <td className="num">
                    <Bytes count={store.free_bytes} />
                  </td>
                  <td className="nowrap">{store.checked_at ? <When at={store.checked_at} /> : 'never'}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </>
  );
}
