/** How many bytes nothing needs any more once what leaves has left; counted while one reads what is lost. */
import { useQuery } from '@tanstack/react-query';

import { problemOf, told, type Schemas } from '../api/client';
import { key } from '../api/keys';
import { Bytes } from '../ui/Bytes';
import { Failed } from '../ui/States';

interface Props {
  /** Distinguishes what is asked for. */
  of: unknown;
  ask: () => Promise<{ data?: Schemas['Freed'][]; error?: unknown; response: Response }>;
}

export function Freed({ of, ask }: Props) {
  const freed = useQuery({ queryKey: key('leaving', 'freed', of), queryFn: () => told(ask()), retry: false, staleTime: 60_000 });
  if (freed.isPending) return <p className="quiet">Counting what nothing would need any more …</p>;
  if (freed.isLoadingError) return <Failed problem={problemOf(freed.error)} />;
  return (
    <ul className="mb-2">
      {freed.data.map((one) => (
        <li key={one.store_name}>
          {one.bytes === null ? (
            <>
              How much comes back in {one.store_name} cannot be told now: {one.why_not}
            </>
          ) : (
            <>
              <Bytes count={one.given_back_bytes} /> come back in {one.store_name} after the sweep that follows; <Bytes count={one.bytes} />{' '}
              are needed by nothing else there.
            </>
          )}
        </li>
      ))}
    </ul>
  );
}
