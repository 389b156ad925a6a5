import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { act, renderHook, waitFor } from '@testing-library/react';
import type { ReactNode } from 'react';
import { expect, test, vi } from 'vitest';

import { useSave } from './save';

type Body = { name: string; read?: Record<string, unknown> };

const problem = (code: string) => ({ code, title: 'No.', remedy: '', field: null, status: 409 });
const queries = new QueryClient();
const Around = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queries}>{children}</QueryClientProvider>;

function saving(answers: { data?: { name: string }; error?: unknown }[], first = 'Shelf') {
  const sent: Body[] = [];
  const send = vi.fn((body: Body) => {
    sent.push(body);
    const answer = answers.shift() ?? {};
    return Promise.resolve({ ...answer, response: new Response(null, { status: answer.error ? 409 : 200 }) });
  });
  const hook = renderHook(({ name }) => useSave(send, { name }, 'office', { again: (told) => ({ name: told.name }) }), {
    wrapper: Around,
    initialProps: { name: first },
  });
  return { sent, hook };
}

test('it says what the form began with, whatever was asked again since', async () => {
  const { sent, hook } = saving([{ data: { name: 'Attic' } }]);
  hook.rerender({ name: 'what another tab has saved' });
  act(() => hook.result.current.go({ name: 'Attic' }));
  await waitFor(() => expect(hook.result.current.done).toBe(true));
  expect(sent).toEqual([{ name: 'Attic', read: { name: 'Shelf' } }]);
});

test('a form that stays open begins with what was saved', async () => {
  const { sent, hook } = saving([{ data: { name: 'Attic' } }, { data: { name: 'Loft' } }]);
  act(() => hook.result.current.go({ name: 'Attic' }));
  await waitFor(() => expect(hook.result.current.done).toBe(true));
  act(() => hook.result.current.go({ name: 'Loft' }));
  await waitFor(() => expect(sent).toHaveLength(2));
  expect(sent[1]).toEqual({ name: 'Loft', read: { name: 'Attic' } });
});

test('once somebody else was faster it can be saved over theirs, as it was given; any other refusal offers nothing', async () => {
  const { sent, hook } = saving([{ error: problem('state.changed_meanwhile') }, { error: problem('input.invalid') }]);
  expect(hook.result.current.over).toBeUndefined();
  act(() => hook.result.current.go({ name: 'Attic' }));
  await waitFor(() => expect(hook.result.current.over).toBeDefined());
  act(() => hook.result.current.over?.());
  await waitFor(() => expect(hook.result.current.problem?.code).toBe('input.invalid'));
  expect(sent[1]).toEqual({ name: 'Attic' });
  expect(hook.result.current.over).toBeUndefined();
});
