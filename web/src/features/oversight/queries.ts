/** What Today, the ribbon and the night ask. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import type { Shows } from './night';

export const useToday = () => useQuery({ queryKey: key('today'), queryFn: () => told(client.GET('/api/today')), refetchInterval: 60_000 });

export const useRibbon = () =>
  useQuery({ queryKey: key('ribbon'), queryFn: () => told(client.GET('/api/ribbon')), refetchInterval: 60_000 });

export const useNight = (night?: string) =>
  useQuery({
    queryKey: key('night', night ?? 'coming'),
    queryFn: () => told(client.GET('/api/night', { params: { query: night ? { night } : {} } })),
    refetchInterval: 60_000,
  });

export interface NightRowsWanted {
  night?: string;
  shows?: Shows;
  words?: string;
  page: number;
  page_size: number;
}

export const useNightRows = (wanted: NightRowsWanted) =>
  useQuery({
    queryKey: key('night', 'rows', wanted),
    queryFn: () => told(client.GET('/api/night/rows', { params: { query: wanted } })),
    placeholderData: keepPreviousData,
    refetchInterval: 60_000,
  });
