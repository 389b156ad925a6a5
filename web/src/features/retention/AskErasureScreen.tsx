/** Asking that a device, or a person with all that they carry, be erased. */
import { useQuery } from '@tanstack/react-query';
import { useNavigate, useSearchParams } from 'react-router';

import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import { ErasureForm, type Wish } from '../../parts/ErasureForm';
import { Heading } from '../../ui/Screen';
import { Empty } from '../../ui/States';

export function AskErasureScreen() {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const device = params.get('device') ?? '';
  const holder = Number(params.get('holder')) || 0;
  const name = useName(device, holder);
  const wish: Wish | null = holder ? { holder } : device ? { devices: [device] } : null;
  return (
    <>
      <Heading title={name ? `Erase ${name}` : 'Erase'} />
      <p className="sub">
        {holder
          ? 'All backups of the devices in their hands, in every store. Backups of devices that they carried before are those devices’ own.'
          : 'All backups of the device, in every store. To erase single items open one of its backups.'}
      </p>
      {wish ? (
        <div className="on-paper">
          <ErasureForm wish={wish} onDone={(one) => void navigate(`/erasing/${one}`)} />
        </div>
      ) : (
        <Empty>Open a device, a person or a backup, and ask there.</Empty>
      )}
    </>
  );
}

function useName(device: string, holder: number): string {
  const one = useQuery({
    queryKey: key('devices', device),
    queryFn: () => told(client.GET('/api/devices/{id}', { params: { path: { id: device } } })),
    enabled: device !== '',
  });
  const person = useQuery({
    queryKey: key('holders', String(holder)),
    queryFn: () => told(client.GET('/api/holders/{id}', { params: { path: { id: holder } } })),
    enabled: holder !== 0,
  });
  return one.data?.name ?? person.data?.name ?? '';
}
