import { useQuery } from '@tanstack/react-query';

import { client, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';

export type Kind = Schemas['KindEnum'];
export type Backup = Schemas['KeptBackup'];
export type RestoreRequest = Schemas['RestoreRequestRequest'];
export type Export = Schemas['Export'];

/** What is chosen of a backup. */
export interface Things {
  everything: boolean;
  kinds: string[];
  items: { kind: string; id: string }[];
}

export const useBackup = (id: string) =>
  useQuery({
    queryKey: key('backups', id),
    queryFn: () => told(client.GET('/api/backups/{id}', { params: { path: { id } } })),
    enabled: id !== '',
  });

export const useInside = (id: string, kind: Kind | undefined, words: string, page: number) =>
  useQuery({
    queryKey: key('inside', id, kind, words, page),
    queryFn: () =>
      told(
        client.GET('/api/backups/{id}/inside', { params: { path: { id }, query: { kind: kind as Kind, ...(words && { words }), page } } }),
      ),
    enabled: kind !== undefined,
    // a page of another kind is nothing to go on looking at
    placeholderData: (before, asked) => (asked?.queryKey[2] === kind ? before : undefined),
    staleTime: 60_000,
  });

export const itemAddress = (backup: string, kind: string, id: string, what: 'item' | 'thumbnail' = 'item'): string =>
  `/api/backups/${backup}/${what}?${new URLSearchParams({ kind, id }).toString()}`;
