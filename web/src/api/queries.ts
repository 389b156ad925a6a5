/** Questions that more than one feature asks. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, told, type Schemas } from './client';
import type { paths } from './schema';
import { key } from './keys';

export type DevicesWanted = NonNullable<paths['/api/devices']['get']['parameters']['query']>;

export const useMe = () => useQuery({ queryKey: key('me'), queryFn: () => told(client.GET('/api/me')), staleTime: 60_000, retry: 1 });

export const useDevices = (wanted: DevicesWanted = {}) =>
  useQuery({
    queryKey: key('devices', wanted),
    queryFn: () => told(client.GET('/api/devices', { params: { query: wanted } })),
    placeholderData: keepPreviousData,
  });

export const useDevice = (id: string) =>
  useQuery({ queryKey: key('devices', id), queryFn: () => told(client.GET('/api/devices/{id}', { params: { path: { id } } })) });

/** A device out of all of them, for a picker: found on the server as somebody types, its true value asked for by itself. */
export function useDeviceChoice(value: string, fits: (row: Schemas['DeviceRow']) => boolean = () => true) {
  const [words, setWords] = useState('');
  const listed = useDevices({ order: 'name', words: words || undefined, page_size: CHOICES });
  const own = useQuery({
    queryKey: key('devices', value),
    queryFn: () => told(client.GET('/api/devices/{id}', { params: { path: { id: value } } })),
    enabled: value !== '',
  });
  const rows = (listed.data?.results ?? []).filter(fits);
  return {
    shown: own.data && own.data.id === value ? `${own.data.name}, ${own.data.holder}` : '',
    options: rows.map((row) => ({
      value: row.id,
      label: `${row.name}, ${row.holder}${row.newest_id ? '' : row.damaged_id ? ' · damaged in some place' : ' · no backup'}`,
    })),
    more: Math.max(0, (listed.data?.count ?? 0) - CHOICES),
    busy: listed.isFetching,
    onFind: setWords,
  };
}

const CHOICES = 20;

export const useStores = () => useQuery({ queryKey: key('stores'), queryFn: () => told(client.GET('/api/stores')) });

export const usePlans = () => useQuery({ queryKey: key('plans'), queryFn: () => told(client.GET('/api/plans')) });

export const useKinds = () => useQuery({ queryKey: key('kinds'), queryFn: () => told(client.GET('/api/kinds')), staleTime: Infinity });

export const useTeams = () => useQuery({ queryKey: key('teams'), queryFn: () => told(client.GET('/api/teams')) });

export const useGuides = () => useQuery({ queryKey: key('guides'), queryFn: () => told(client.GET('/api/guides')), staleTime: Infinity });

export const useNames = () => useQuery({ queryKey: key('names'), queryFn: () => told(client.GET('/api/names')) });

export const useDeviceBackups = (id: string) =>
  useQuery({
    queryKey: key('backups', 'of', id),
    queryFn: () => told(client.GET('/api/devices/{id}/backups', { params: { path: { id } } })),
    enabled: id !== '',
  });

export type RunsWanted = NonNullable<paths['/api/runs']['get']['parameters']['query']>;

export const useRuns = (wanted: RunsWanted) =>
  useQuery({
    queryKey: key('runs', wanted),
    queryFn: () => told(client.GET('/api/runs', { params: { query: wanted } })),
    placeholderData: keepPreviousData,
  });

export const useRunTotals = (wanted: Omit<RunsWanted, 'page' | 'page_size'>) =>
  useQuery({
    queryKey: key('runs', 'totals', wanted),
    queryFn: () => told(client.GET('/api/runs/totals', { params: { query: wanted } })),
    placeholderData: keepPreviousData,
  });

/** Where somebody said that nothing leaves. */
export const useFreezes = () =>
  useQuery({ queryKey: key('freezes'), queryFn: () => told(client.GET('/api/freezes')), refetchInterval: 60_000 });
