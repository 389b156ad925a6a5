import { useQuery } from '@tanstack/react-query';

import { client, told } from '../../api/client';

export const useToday = () => useQuery({ queryKey: ['today'], queryFn: () => told(client.GET('/api/today')), refetchInterval: 60_000 });

export const useRibbon = () => useQuery({ queryKey: ['ribbon'], queryFn: () => told(client.GET('/api/ribbon')), refetchInterval: 60_000 });

export const useNight = (night?: string) =>
  useQuery({
    queryKey: ['night', night ?? 'coming'],
    queryFn: () => told(client.GET('/api/night', { params: { query: night ? { night } : {} } })),
    refetchInterval: 60_000,
  });
