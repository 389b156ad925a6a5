/** What a store's medium is called. */
import type { Schemas } from '../api/client';

export type Medium = Schemas['Store']['medium'];

export const MEDIUM_WORDS: Record<Medium, string> = {
  folder: 'folder',
  drive: 'removable drive',
  sftp: 'another computer',
  bucket: 'bucket in a cloud',
};
