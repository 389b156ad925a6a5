/** Words of the month on paper. */
import type { Schemas } from '../../api/client';

export type Report = Schemas['Report'];

/** How much of what was promised was kept; in words where nothing was. */
export const percent = (share: Schemas['Share']): string => (share.percent === null ? 'nothing was due' : `${share.percent} %`);
