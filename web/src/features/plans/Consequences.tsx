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
  const answer = useQuery({
    queryKey: key('consequences', asked),
    queryFn: ({ signal }) =>
      told(client.POST('/api/plans/consequences', { body: JSON.parse(asked) as Draft & { id: string | null }, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} />;
  if (!answer.data || answer.data.leaves + answer.data.stays === 0) return null;
  return (
    <section className="sheet pad in-view" aria-live="polite" aria-label="What it does to what lies there">
      <h2>{consequenceWords(answer.data)}</h2>
      <Counts told={answer.data} />
      <RealHistory devices={answer.data.devices} more={answer.data.device_count - answer.data.devices.length} />
    </section>
  );
}
