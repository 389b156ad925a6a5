/** What a pause is, in words. */
import type { Schemas } from '../api/client';
import { plainDay } from '../ui/format';

export type Pause = Schemas['Pause'];

export const pauseWords = (pause: Pick<Pause, 'until' | 'reason'>): string =>
  `paused ${pause.until ? `until ${plainDay(pause.until)}` : 'until further notice'}${pause.reason ? `: ${pause.reason}` : ''}`;
