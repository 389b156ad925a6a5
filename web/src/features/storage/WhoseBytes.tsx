/** Whose bytes lie in a store: a table that ends in what the store really holds. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useAddress } from '../../ui/address';
import { Bytes } from '../../ui/Bytes';
import { Choice } from '../../ui/forms/Field';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading } from '../../ui/States';
import { BY, savedPercent, type By, type Occupied } from './quotas';

const PAGE = 50;

export function WhoseBytes({ storeId }: { storeId: string }) {
  const address = useAddress();
  const by = address.oneOf(
    'by',
    BY.map((one) => one.value),
  );
  const query = { by: by ?? 'team', page: address.page };
  const device = address.get('device');
  const answer = useQuery({
    queryKey: key('stores', storeId, 'occupied', query),
    queryFn: () => told(client.GET('/api/stores/{id}/occupied', { params: { path: { id: storeId }, query } })),
    placeholderData: keepPreviousData,
  });
  return (
    <section>
      <div className="head mb-1">
        <h2 className="mb-0">
          Whose bytes <small>shared ones are divided among those that need them</small>
        </h2>
        <div className="filters mb-0">
          <Choice<By> label="Divided" compact value={query.by} onChange={(next) => address.set('by', next)} options={BY} />
          <a href={`/api/stores/${storeId}/occupied.csv?by=${query.by}`}>CSV</a>
        </div>
      </div>
      <div className="sheet scroll">
        {answer.isPending && <Loading what="whose bytes lie there" />}
        {answer.isLoadingError && <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />}
        {answer.data && answer.data.nobodys.length === 0 && (
          <Empty>It has not been measured yet. It will be after the next run, or tonight.</Empty>
        )}
        {answer.data && answer.data.nobodys.length > 0 && (
          <Parts found={answer.data} by={query.by} onDevice={(id) => address.set('device', id)} />
        )}
        {answer.data && <Pager page={address.page} pageSize={PAGE} count={answer.data.count} onPage={address.turn} />}
      </div>
      {query.by === 'device' && device && (
        <FillsIt key={device} storeId={storeId} device={device} onClose={() => address.set('device', '')} />
      )}
      <Words />
    </section>
  );
}

/** What a device's bytes are made of in this store, kind by kind: they add up to its share. */
function FillsIt({ storeId, device, onClose }: { storeId: string; device: string; onClose: () => void }) {
  const may = useMay();
  const query = { by: 'kind' as const, device };
  const asked = useQuery({
    queryKey: key('stores', storeId, 'occupied', query),
    queryFn: () => told(client.GET('/api/stores/{id}/occupied', { params: { path: { id: storeId }, query } })),
  });
  return (
    <section aria-label="What fills it" className="mt-2">
      <div className="head mb-1">
        <h3 className="mb-0">
          What fills it <small>its share, by kind</small>
        </h3>
        <div className="row-end">
          {may('look_inside') && <Link to={`/devices/${device}/filling?store=${storeId}`}>Item by item</Link>}
          <Link to={`/devices/${device}`}>The device</Link>
          <Button size="sm" variant="outline-primary" onClick={onClose}>
            Close
          </Button>
        </div>
      </div>
      <div className="sheet scroll">
        {asked.isPending && <Loading what="what fills it" />}
        {asked.isLoadingError && <Failed problem={problemOf(asked.error)} onRetry={() => void asked.refetch()} />}
        {asked.data && <Parts found={asked.data} by="kind" />}
      </div>
    </section>
  );
}

/** Each word of the table where it stands. */
const Words = () => (
  <details className="hint mb-2">
    <summary>What these words mean</summary>
    <dl className="facts">
      <dt>Share</dt>
      <dd>What it needs alone, and its part of what several need. All shares and what is nobody’s add up to what the store holds.</dd>
      <dt>Needed alone</dt>
      <dd>
        Nothing else needs it: without it these bytes would be needed by nothing. What a sweep gives back of them is told before a removal.
      </dd>
      <dt>Shared</dt>
      <dd>Others need it, too: it stays when this one goes.</dd>
      <dt>On devices</dt>
      <dd>What all its backups would hold if each lay by itself.</dd>
    </dl>
  </details>
);

function Parts({ found, by, onDevice }: { found: Occupied; by: By; onDevice?: (id: string) => void }) {
  const one = BY.find((entry) => entry.value === by)?.one ?? '';
  return (
    <table className="rows">
      <thead>
        <tr>
          <th scope="col">{one}</th>
          <th scope="col" className="num">
            Share
          </th>
          <th scope="col" className="num">
            Needed alone
          </th>
          <th scope="col" className="num">
            Shared
          </th>
          <th scope="col" className="num">
            On devices
          </th>
          <th scope="col" className="num">
            Backups
          </th>
        </tr>
      </thead>
      <tbody>
        {found.lines.map((line) => (
          <Line
            key={line.key || 'none'}
            line={line}
            {...(by === 'device' && line.key !== 'others' && onDevice ? { onOpen: () => onDevice(line.key) } : {})}
          />
        ))}
      </tbody>
      <Foot found={found} />
    </table>
  );
}

function Line({ line, onOpen }: { line: Occupied['lines'][number]; onOpen?: () => void }) {
  const saved = savedPercent(line);
  return (
    <tr>
      <th scope="row">
        {onOpen ? (
          <Button variant="link" size="sm" onClick={onOpen}>
            {line.name}
            <span className="visually-hidden">: what fills it</span>
          </Button>
        ) : (
          line.name
        )}
      </th>
      <td className="num">
        <Bytes count={line.fair_bytes} />
      </td>
      <td className="num">
        <Bytes count={line.alone_bytes} />
      </td>
      <td className="num">
        <Bytes count={line.shared_bytes} />
      </td>
      <td className="num">
        <Bytes count={line.logical_bytes} /> {saved !== null && <span className="quiet">{saved} % saved</span>}
      </td>
      <td className="num">{line.backups || <span className="quiet">–</span>}</td>
    </tr>
  );
}

function Foot({ found }: { found: Occupied }) {
  const nobodys = found.nobodys.filter((one) => one.bytes > 0);
  return (
    <tfoot>
      {nobodys.map((one) => (
        <tr key={one.code} className="quiet">
          <th scope="row" title={one.says}>
            Nobody’s: {one.label.toLowerCase()}
          </th>
          <td className="num">
            <Bytes count={one.bytes} />
          </td>
          <td colSpan={4}>{one.says}</td>
        </tr>
      ))}
      <tr>
        <th scope="row">{nobodys.length > 0 ? 'All that lies there' : 'All of it'}</th>
        <td className="num">
          <strong>
            <Bytes count={found.sum_bytes} />
          </strong>
        </td>
        <td colSpan={4} />
      </tr>
    </tfoot>
  );
}
