/** What a change of the plan does to what lies there: counts, the days that would be lost, and the real history with each backup's fate. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { consequenceWords } from '../../parts/leaving/words';
import { Counts } from '../../parts/leaving/LetLeave';
import { RealHistory } from '../../parts/leaving/RealHistory';
import { useRested } from '../../ui/rested';
import { Failed } from '../../ui/States';
import type { Draft } from './words';

export function Consequences({ id, draft }: { id: string; draft: Draft }) {
  const asked = useRested(JSON.stringify({ ...draft, name: draft.name || 'draft', id: id === 'new' ? null : id }));
  const found = useQuery({
    queryKey: key('consequences', asked),
    queryFn: ({ signal }) =>
      told(client.POST('/api/plans/consequences', { body: JSON.parse(asked) as Draft & { id: string | null }, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (found.isLoadingError) return <Failed problem={problemOf(found.error)} />;
  if (!found.data || found.data.leaves + found.data.stays === 0) return null;
  return (
    <section className="sheet pad in-view" aria-live="polite" aria-label="What it does to what lies there">
      <h2>{consequenceWords(found.data)}</h2>
      <Counts told={found.data} />
      <RealHistory devices={found.data.devices} more={found.data.device_count - found.data.devices.length} />
    </section>
  );
}
