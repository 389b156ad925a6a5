import { act as settled, screen } from '@testing-library/react';
import user from '@testing-library/user-event';
import { useState } from 'react';
import { expect, test } from 'vitest';

import { key } from '../../api/keys';
import { show } from '../../testing/office';
import { Inside } from './Inside';
import type { Backup, Kind } from './queries';

const KINDS = [
  { kind: 'contacts', label: 'Contacts', items: 2 },
  { kind: 'documents', label: 'Documents', items: 1 },
];
const backup = { id: 'b', kinds: KINDS } as unknown as Backup;

/** The address follows a click later than the search of the list that is left. */
function Slow() {
  const [kind, setKind] = useState<Kind>('contacts');
  return <Inside backup={backup} kind={kind} onKind={(next) => setTimeout(() => setKind(next), 600)} />;
}

const page = (...titles: string[]) => ({
  shape: 'file',
  count: titles.length,
  page_items: 60,
  lost: 0,
  items: titles.map((title) => ({ id: title, title, detail: '', fields: {}, talk: [], damaged: false, modified: '2026-03-01T10:00:00Z' })),
});

test('words that were typed for one kind are not looked for in another', async () => {
  show(<Slow />, '/', [
    [key('inside', 'b', 'contacts', '', 1), page('Ada Quay', 'Fenna Holm')],
    [key('inside', 'b', 'contacts', 'Fenna', 1), page('Fenna Holm')],
    [key('inside', 'b', 'documents', '', 1), page('tide.pdf')],
    [key('inside', 'b', 'documents', 'Fenna', 1), page()],
  ]);
  await user.type(screen.getByRole('searchbox', { name: 'Search in contacts' }), 'Fenna');
  await user.click(screen.getByRole('button', { name: /^Documents/ }));
  await settled(() => new Promise((resolve) => setTimeout(resolve, 1000)));
  expect(screen.getByRole<HTMLInputElement>('searchbox', { name: 'Search in documents' }).value).toBe('');
  expect(screen.getByText('1 item').isConnected).toBe(true);
});
