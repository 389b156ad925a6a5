/** Where the next step of a cause lies. */
import type { Schemas } from '../../api/client';

type Step = Pick<Schemas['Cause'], 'step' | 'store_id' | 'count' | 'code'> & { devices: { id: string }[] };

/** Of many devices all are shown, of one its own page. Null: the page is to be loaded again. */
export function stepAddress(cause: Step): string | null {
  const first = cause.devices[0]?.id;
  const many = `/devices?order=lateness&cause=${encodeURIComponent(cause.code)}`;
  switch (cause.step) {
    case 'open':
      return cause.count === 1 && first ? `/devices/${first}#ready` : many;
    case 'coverage':
      return cause.count === 1 && first ? `/devices/${first}/coverage` : many;
    case 'plan':
      return '/plans';
    case 'pair':
      return '/devices/add';
    case 'anomalies':
      return '/anomalies';
    case 'night':
      return '/night?shows=did_not';
    case 'clock':
      return '/office#clock';
    case 'holds':
      return '/holds?end=unseen';
    case 'erasing':
      return '/erasing';
    case 'drives':
      return '/storage/drives';
    case 'drills':
      return '/drills';
    case 'room':
      if (!cause.store_id) return '/storage';
      return `/storage/${cause.store_id}/room${cause.code.startsWith('no_room') ? '?for=tonight' : ''}`;
    case 'restart':
      return null;
    default:
      return cause.store_id ? `/storage/${cause.store_id}` : '/storage';
  }
}
