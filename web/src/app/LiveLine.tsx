/** The live line: what the server tells goes straight into what the screens show; the rest is asked again. */
import { useQueryClient, type QueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';

interface LiveEvent {
  topic: 'run' | 'restore' | 'bringing' | 'changed' | 'again';
  id: string;
  state: Record<string, unknown> | null;
}

interface Known {
  state: string;
  progress: Record<string, unknown>;
}

const LISTS = [['runs'], ['devices'], ['today'], ['ribbon'], ['night']];

function take(queries: QueryClient, event: LiveEvent) {
  if (event.topic === 'again') {
    void queries.invalidateQueries();
    return;
  }
  if (event.topic === 'changed') {
    if (event.id === 'line_up' || event.id === 'matters') {
      for (const queryKey of event.id === 'line_up' ? [['night'], ['today']] : [['matters'], ['today'], ['oddities']]) void queries.invalidateQueries({ queryKey });
      return;
    }
    const keys = event.id === 'stores' ? [['stores'], ['backups'], ['today']] : [...LISTS, ['backups'], ['coverage'], ['wipe']];
    for (const queryKey of keys) void queries.invalidateQueries({ queryKey });
    return;
  }
  const queryKey = [event.topic, event.id];
  const known = queries.getQueryData<Known>(queryKey);
  if (event.state && known && event.topic !== 'bringing') {
    queries.setQueryData(queryKey, { ...known, state: 'running', progress: event.state });
    const entersStage = known.state !== 'running' || known.progress['stage'] !== event.state['stage'];
    if (entersStage) void queries.invalidateQueries({ queryKey }); // its log and times have grown too
    return;
  }
  void queries.invalidateQueries({ queryKey });
  if (!event.state) for (const list of event.topic === 'run' ? LISTS : event.topic === 'bringing' ? [['bringings']] : [['restores']]) void queries.invalidateQueries({ queryKey: list });
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
