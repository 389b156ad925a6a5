/** Questions about copies on their way. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import type { paths } from '../../api/schema';

export type CopiesWanted = NonNullable<paths['/api/copies']['get']['parameters']['query']>;

export const useCopies = (wanted: CopiesWanted) =>
  useQuery({
    queryKey: key('copies', wanted),
    queryFn: () => told(client.GET('/api/copies', { params: { query: wanted } })),
    placeholderData: keepPreviousData,
  });

export const useCopySums = () => useQuery({ queryKey: key('copies', 'sums'), queryFn: () => told(client.GET('/api/copies/sums')) });

export const useDrives = () => useQuery({ queryKey: key('stores', 'drives'), queryFn: () => told(client.GET('/api/drives')) });
