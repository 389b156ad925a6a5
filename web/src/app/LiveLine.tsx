/** The live line: what the server tells goes straight into what the screens show; the rest is asked again. */
import { useQueryClient, type QueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';

import { key, touch, type Change } from '../api/keys';

export interface LiveEvent {
  topic: 'run' | 'restore' | 'imports' | 'changed' | 'again' | 'session';
  id: string;
  state: Record<string, unknown> | null;
}

interface Known {
  state: string;
  progress: Record<string, unknown>;
}

const STANDING: readonly Change[] = ['device', 'run'];

/** What the server calls a change → what it is in the register; a page that is older than its server takes a new one for the first. */
const TOLD: Record<string, readonly Change[]> = {
  devices: STANDING,
  stores: ['store'],
  copies: ['copy'],
  drills: ['drill'],
  line_up: ['line_up'],
  incidents: ['incident'],
  freezes: ['freeze'],
  erasures: ['erasure'],
};

export function take(queries: QueryClient, event: LiveEvent): void {
  if (event.topic === 'again') {
    // the line was broken: nobody knows what was missed
    void queries.invalidateQueries();
    return;
  }
  if (event.topic === 'session') {
    void touch(queries, 'account');
    return;
  }
  if (event.topic === 'changed') {
    void touch(queries, ...(TOLD[event.id] ?? STANDING));
    return;
  }
  const queryKey = key(event.topic, event.id);
  const known = queries.getQueryData<Known>(queryKey);
  if (event.state && known && event.topic !== 'imports') {
    queries.setQueryData(queryKey, { ...known, state: 'running', progress: event.state });
    const entersStage = known.state !== 'running' || known.progress['stage'] !== event.state['stage'];
    if (entersStage) void queries.invalidateQueries({ queryKey }); // its log and times have grown too
    return;
  }
  if (event.state) void queries.invalidateQueries({ queryKey });
  else void touch(queries, event.topic);
}

export function LiveLine() {
  const queries = useQueryClient();
  useEffect(() => {
    const line = new EventSource('/api/live');
    line.onmessage = (message: MessageEvent<string>) => take(queries, JSON.parse(message.data) as LiveEvent);
    return () => line.close();
  }, [queries]);
  return null;
}
