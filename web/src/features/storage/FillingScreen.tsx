/** What fills a device in a store: what grows, what is large, what only old backups still hold. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useDevice, useKinds } from '../../api/queries';
import { useAddress } from '../../ui/address';
import { DeviceTabs } from '../../ui/DeviceTabs';
import { counted } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { Age } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Failed, Loading } from '../../ui/States';
import { Folders, Growing, Largest, OnlyOld, Talking } from './FillingTables';
import { LeaveOut, type Wish } from './LeaveOut';
import type { Filling } from './filling';

export function FillingScreen() {
  const { id = '' } = useParams();
  const address = useAddress();
  const device = useDevice(id);
  const may = useMay();
  const store = address.get('store');
  const filling = useQuery({
    queryKey: key('inside', 'filling', id, store ?? ''),
    queryFn: () => told(client.GET('/api/devices/{id}/filling', { params: { path: { id }, query: store ? { store } : {} } })),
    retry: false,
  });
  if (device.isPending) return <Loading what="the device" />;
  if (device.isLoadingError) return <FailedScreen problem={problemOf(device.error)} />;
  return (
    <>
      <Heading title={`What fills ${device.data.name}, ${device.data.holder}`}>
        {device.data.name} <span className="quiet fw-normal">{device.data.holder}</span>
      </Heading>
      <DeviceTabs id={id} inside={may('look_inside')} />
      {filling.isPending && <Loading what="what fills it; all its backups are read for that" />}
      {filling.isLoadingError && <Failed problem={problemOf(filling.error)} onRetry={() => void filling.refetch()} />}
      {filling.data && <Found id={id} found={filling.data} onStore={(next) => address.set('store', next)} />}
    </>
  );
}

function Found({ id, found, onStore }: { id: string; found: Filling; onStore: (store: string) => void }) {
  const [wish, setWish] = useState<Wish | null>(null);
  const kinds = useKinds();
  const label = (code: string) => kinds.data?.find((one) => one.code === code)?.label ?? code;
  const part = { found, label, onLeaveOut: setWish };
  return (
    <>
      <div className="head mb-1">
        <p className="sub mb-0">
          In <Link to={`/storage/${found.store.id}`}>{found.store.name}</Link>, from {counted(found.backups, 'backup')}; the{' '}
          <Link to={`/backups/${found.newest}`}>newest</Link> was made <Age at={found.newest_at} />.
          {found.unread > 0 && ` ${counted(found.unread, 'part')} of its lists could not be read: what is in them is not here.`}
        </p>
        {found.stores.length > 1 && (
          <Choice
            label="Store"
            compact
            value={found.store.id}
            onChange={onStore}
            options={found.stores.map((one) => ({ value: one.id, label: one.name }))}
          />
        )}
      </div>
      <div className="cols">
        <div className="stack">
          <Largest {...part} />
          <OnlyOld {...part} />
        </div>
        <aside className="stack">
          <Growing {...part} />
          <Folders {...part} />
          <Talking {...part} />
        </aside>
      </div>
      {wish && <LeaveOut device={id} store={found.store} wish={wish} label={label} onClose={() => setWish(null)} />}
    </>
  );
}
