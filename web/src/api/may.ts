/** What the person who is signed in may do, as the server says it. */
import { useMe } from './queries';
import type { Schemas } from './client';

export type May = Schemas['MayEnum'];

/** `may('run')`: false until the server has said it. */
export function useMay(): (what: May) => boolean {
  const may = useMe().data?.may ?? [];
  return (what) => may.includes(what);
}
