/** Changes columns of some devices' entries, once it was seen what leaves by it. */
import { client } from '../../api/client';
import { useSeenSaving } from './saving';

type Values = Record<string, string>;

export function useDevicesSaving(devices: string[], after: () => void) {
  return useSeenSaving(
    (asked: { values_told: Values }) => client.POST('/api/devices/change/consequences', { body: { ...asked, devices } }),
    (body) => client.POST('/api/devices/change', { body: { ...body, devices } }),
    ['device', 'people'],
    after,
  );
}
