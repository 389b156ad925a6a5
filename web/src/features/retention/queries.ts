/** What is on its way out. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import type { paths } from '../../api/schema';

export type LeavingWanted = NonNullable<paths['/api/leaving']['get']['parameters']['query']>;

export const useLeaving = (wanted: LeavingWanted) =>
  useQuery({
    queryKey: key('leaving', wanted),
    queryFn: () => told(client.GET('/api/leaving', { params: { query: wanted } })),
    placeholderData: keepPreviousData,
  });
