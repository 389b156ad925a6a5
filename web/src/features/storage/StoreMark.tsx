/** The shape of a store's medium: a disc for a folder, a square for a drive, a rhomb for a bucket, a ring for another computer. Decoration: the word stands beside it. */
import type { Medium } from './words';

export function StoreMark({ medium }: { medium: Medium }) {
  return (
    <svg className="store-mark" viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
      {medium === 'folder' && <circle cx="6" cy="6" r="5" fill="currentColor" />}
      {medium === 'drive' && <rect x="1" y="1" width="10" height="10" fill="currentColor" />}
      {medium === 'sftp' && <circle cx="6" cy="6" r="4" fill="none" stroke="currentColor" strokeWidth="2.5" />}
      {medium === 'bucket' && <path d="M6 0 12 6 6 12 0 6z" fill="currentColor" />}
    </svg>
  );
}
