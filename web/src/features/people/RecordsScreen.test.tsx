import { act as settled, screen } from '@testing-library/react';
import user from '@testing-library/user-event';
import { expect, test, vi } from 'vitest';

import { key } from '../../api/keys';
import { show } from '../../testing/office';
import { RecordsScreen } from './RecordsScreen';

const JOURNAL = { code: 'journal', label: 'The journal', says: '', days: 3653, least: 365, going: 0 };

test('what somebody typed stays there while the times are asked again', async () => {
  vi.stubGlobal('fetch', () => Promise.resolve(Response.json([JOURNAL])));
  const { queries } = show(<RecordsScreen />, '/', [
    [key('ages'), [JOURNAL]],
    [key('me'), { may: ['set_up'] }],
  ]);
  const field = screen.getByRole<HTMLInputElement>('textbox', { name: /Days for the journal/ });
  await user.clear(field);
  await user.type(field, '400');
  await settled(async () => {
    await new Promise((resolve) => setTimeout(resolve, 5)); // another moment than that of the first answer
    queries.setQueryData(key('ages'), [{ ...JOURNAL }]);
    await Promise.resolve();
  });
  expect(screen.getByRole<HTMLInputElement>('textbox', { name: /Days for the journal/ }).value).toBe('400');
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Save' }).disabled).toBe(false);
});
