import { act as settled, screen, waitFor } from '@testing-library/react';
import user from '@testing-library/user-event';
import { describe, expect, test, vi } from 'vitest';

import { show } from '../testing/office';
import { useAct } from './act';
import { ProblemError, problemOf, told } from './client';
import { key, type Change } from './keys';
import { useMay } from './may';

type Answer = Promise<{ data?: string; error?: unknown; response: Response }>;

const good = (data: string): Answer => Promise.resolve({ data, response: new Response(null, { status: 200 }) });
const refused: Answer = Promise.resolve({
  error: { code: 'state.conflict', title: 'Somebody was faster.', remedy: 'Look again.', field: null, status: 409 },
  response: new Response(null, { status: 409 }),
});

function Button({ send, changes = 'run', after }: { send: () => Answer; changes?: Change; after?: (told: string) => void }) {
  const act = useAct(send, changes, after);
  return (
    <>
      <button type="button" onClick={() => act.go()}>
        {act.busy ? 'busy' : 'go'}
      </button>
      <p role="status">{act.problem?.title ?? (act.done ? `told ${act.told ?? ''}` : '')}</p>
    </>
  );
}

describe('an act', () => {
  test('that is carried out tells what came of it, touches what it names, and then goes on', async () => {
    const after = vi.fn();
    const { queries } = show(<Button send={() => good('yes')} after={after} />, '/', [
      [key('today'), 1],
      [key('users'), 1],
    ]);
    await user.click(screen.getByRole('button'));
    await waitFor(() => expect(screen.getByRole('status').textContent).toBe('told yes'));
    expect([queries.getQueryState(key('today'))?.isInvalidated, queries.getQueryState(key('users'))?.isInvalidated]).toEqual([true, false]);
    expect(after).toHaveBeenCalledWith('yes', undefined);
  });

  test('that is refused says why, does not go on, and what stands there is asked again', async () => {
    const after = vi.fn();
    const { queries } = show(<Button send={() => refused} after={after} />, '/', [[key('today'), 1]]);
    await user.click(screen.getByRole('button'));
    await waitFor(() => expect(screen.getByRole('status').textContent).toBe('Somebody was faster.'));
    expect([after.mock.calls.length, queries.getQueryState(key('today'))?.isInvalidated]).toEqual([0, true]);
  });

  test('that is pressed twice is sent once', async () => {
    let answer: (told: string) => void = () => undefined;
    const send = vi.fn(
      () => new Promise<{ data: string; response: Response }>((done) => (answer = (data) => done({ data, response: new Response() }))),
    );
    show(<Button send={send} />);
    await user.dblClick(screen.getByRole('button'));
    await user.click(screen.getByRole('button'));
    expect([send.mock.calls.length, screen.getByRole('button').textContent]).toEqual([1, 'busy']);
    settled(() => {
      answer('once');
    });
    await waitFor(() => expect(screen.getByRole('status').textContent).toBe('told once'));
  });
});

describe('what the server answers', () => {
  const problem = async (answer: Answer) => told(answer).then(
    () => null,
    (error: unknown) => (error instanceof ProblemError ? problemOf(error) : null),
  ); // prettier-ignore

  test('data is told', async () => expect(await told(good('x'))).toBe('x'));
  test('a problem document is kept as it is', async () =>
    expect(await problem(refused)).toMatchObject({ code: 'state.conflict', status: 409 }));
  test('something that is no problem document still says its status', async () => {
    const answer: Answer = Promise.resolve({ error: '<html>', response: new Response(null, { status: 500 }) });
    expect(await problem(answer)).toMatchObject({ title: 'The server answered with status 500.', status: 500 });
  });
  test('no answer at all is said as such', async () => {
    expect(await problem(Promise.reject(new TypeError('Failed to fetch')))).toMatchObject({ code: 'server.away', status: 0 });
  });
  test('an error of the page itself', () =>
    expect(problemOf(new Error('oops'))).toMatchObject({ code: 'page.unexpected', title: 'Error: oops' }));
});

test('what may be done is what the server says, and nothing before it has', () => {
  function May() {
    const may = useMay();
    return <p role="status">{[may('run'), may('set_up')].join(' ')}</p>;
  }
  show(<May />, '/', [[key('me'), { user: null, office: null, needs_first_administrator: false, may: ['read', 'run'] }]]);
  expect(screen.getByRole('status').textContent).toBe('true false');
});
