/** The age ruler of a device: its newest good backup, the newest on each medium, and its own cloud as it says. */
import type { Schemas } from '../api/client';
import { AgeRuler } from '../ui/AgeRuler';
import { useNow } from '../ui/Office';

type Row = Pick<Schemas['DeviceRow'], 'newest_at' | 'promise_seconds' | 'places' | 'own_cloud'>;

export const DeviceRuler = ({ row }: { row: Row }) => (
  <AgeRuler
    newestAt={row.newest_at}
    promiseSeconds={row.promise_seconds}
    now={useNow()}
    places={row.places}
    ownAt={row.own_cloud?.last_success ?? null}
  />
);
