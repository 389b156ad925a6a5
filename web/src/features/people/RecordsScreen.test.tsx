import { act as settled, screen } from '@testing-library/react';
import user from '@testing-library/user-event';
import { expect, test, vi } from 'vitest';

import { key } from '../../api/keys';
import { show } from '../../testing/office';
import { RecordsScreen } from './RecordsScreen';

const JOURNAL = { code: 'journal', label: 'The journal', says: '', days: 3653, least: 365, going: 0 };

test('what somebody typed stays there while the times are asked again', async () => {
  vi.stubGlobal('fetch', () => Promise.resolve(Response.json([{ ...JOURNAL, going: 3 }])));
  const { queries } = show(<RecordsScreen />, '/', [
    [key('ages'), [JOURNAL]],
    [key('me'), { may: ['set_up'] }],
  ]);
  const field = screen.getByRole<HTMLInputElement>('textbox', { name: /Days for the journal/ });
  await user.clear(field);
  await user.type(field, '400');
  await settled(async () => {
    queries.setQueryData(key('ages'), [{ ...JOURNAL, going: 3 }], { updatedAt: Date.now() + 1000 });
    await new Promise((resolve) => setTimeout(resolve, 20)); // what is told to a screen is told a turn later
  });
  expect(screen.getByRole('status').textContent).toContain('3 records go');
  expect(screen.getByRole<HTMLInputElement>('textbox', { name: /Days for the journal/ }).value).toBe('400');
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Save' }).disabled).toBe(false);
});
