/** Questions that more than one feature asks. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, told, type Schemas } from './client';

export interface DevicesWanted {
  standing?: string | undefined;
  words?: string | undefined;
  team?: string | undefined;
  plan?: string | undefined;
  family?: string | undefined;
  link?: string | undefined;
  holder?: string | undefined;
  order?: string | undefined;
  fold?: boolean | undefined;
  page?: number | undefined;
  page_size?: number | undefined;
}

export const useMe = () => useQuery({ queryKey: ['me'], queryFn: () => told(client.GET('/api/me')), staleTime: 60_000, retry: 1 });

export const useDevices = (wanted: DevicesWanted = {}) =>
  useQuery({
    queryKey: ['devices', wanted],
    queryFn: () => told(client.GET('/api/devices', { params: { query: wanted as never } })),
    placeholderData: keepPreviousData,
  });

export const useDevice = (id: string) =>
  useQuery({ queryKey: ['devices', id], queryFn: () => told(client.GET('/api/devices/{id}', { params: { path: { id } } })) });

/** A device out of all of them, for a picker: found on the server as somebody types, its true value asked for by itself. */
export function useDeviceChoice(value: string, fits: (row: Schemas['DeviceRow']) => boolean = () => true) {
  const [words, setWords] = useState('');
  const listed = useDevices({ order: 'name', words: words || undefined, page_size: CHOICES });
  const own = useQuery({
    queryKey: ['devices', value],
    queryFn: () => told(client.GET('/api/devices/{id}', { params: { path: { id: value } } })),
    enabled: value !== '',
  });
  const rows = (listed.data?.results ?? []).filter(fits);
  return {
    shown: own.data && own.data.id === value ? `${own.data.name}, ${own.data.holder}` : '',
    options: rows.map((row) => ({ value: row.id, label: `${row.name}, ${row.holder}${row.newest_id ? '' : row.damaged_id ? ' · damaged in some place' : ' · no backup'}` })),
    more: Math.max(0, (listed.data?.count ?? 0) - CHOICES),
    busy: listed.isFetching,
    onFind: setWords,
  };
}

const CHOICES = 20;

export const useStores = () => useQuery({ queryKey: ['stores'], queryFn: () => told(client.GET('/api/stores')) });

export const usePlans = () => useQuery({ queryKey: ['plans'], queryFn: () => told(client.GET('/api/plans')) });

export const useKinds = () => useQuery({ queryKey: ['kinds'], queryFn: () => told(client.GET('/api/kinds')), staleTime: Infinity });

export const useTeams = () => useQuery({ queryKey: ['teams'], queryFn: () => told(client.GET('/api/teams')) });

export const useGuides = () => useQuery({ queryKey: ['guides'], queryFn: () => told(client.GET('/api/guides')), staleTime: Infinity });

export const useNames = () => useQuery({ queryKey: ['names'], queryFn: () => told(client.GET('/api/names')) });

export const useDeviceBackups = (id: string) =>
  useQuery({
    queryKey: ['backups', 'of', id],
    queryFn: () => told(client.GET('/api/devices/{id}/backups', { params: { path: { id } } })),
    enabled: id !== '',
  });

export interface RunsWanted {
  device?: string | undefined;
  holder?: string | undefined;
  team?: string | undefined;
  plan?: string | undefined;
  store?: string | undefined;
  night?: string | undefined;
  first?: string | undefined;
  last?: string | undefined;
  state?: string | undefined;
  outcome?: string | undefined;
  trigger?: string | undefined;
  cause?: string | undefined;
  at_least_bytes?: string | undefined;
  words?: string | undefined;
  page?: number | undefined;
  page_size?: number | undefined;
}

export const useRuns = (wanted: RunsWanted) =>
  useQuery({
    queryKey: ['runs', wanted],
    queryFn: () => told(client.GET('/api/runs', { params: { query: wanted as never } })),
    placeholderData: keepPreviousData,
  });

export const useRunTotals = (wanted: RunsWanted) =>
  useQuery({
    queryKey: ['runs', 'totals', wanted],
    queryFn: () => told(client.GET('/api/runs/totals', { params: { query: wanted as never } })),
    placeholderData: keepPreviousData,
  });
