import { useQuery } from '@tanstack/react-query';
import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, it } from 'vitest';

import { ProblemError } from '../api/client';
import { show } from '../testing/office';
import { OutOfDate } from './OutOfDate';

const broken = new ProblemError({ code: 'server.failed', title: 'The server failed.', remedy: 'Try again.', field: null, status: 500 });
const signedOut = new ProblemError({ code: 'access.signed_out', title: 'You are not signed in.', remedy: '', field: null, status: 401 });

/** A screen with one question, whose answers are given beforehand. */
function shown(answers: (string | Error)[]) {
  function Asking() {
    const asked = useQuery({
      queryKey: ['asked'],
      queryFn: () => {
        const next = answers.shift() ?? 'no more';
        if (next instanceof Error) throw next;
        return next;
      },
    });
    return <p>{asked.isLoadingError ? 'nothing to show' : asked.data}</p>;
  }
  return show(
    <>
      <OutOfDate />
      <Asking />
    </>,
  );
}

describe('a screen whose question fails when it is asked again', () => {
  it('keeps what it shows, says that it may be old, and no more once it is answered', async () => {
    const { queries } = shown(['at seven', broken, 'at eight']);
    await screen.findByText('at seven');
    await queries.refetchQueries();
    expect((await screen.findByRole('alert')).textContent).toContain('What you see may be out of date. The server failed.');
    expect(screen.getByText('at seven').isConnected).toBe(true);
    await userEvent.click(screen.getByRole('button', { name: 'Ask again' }));
    await screen.findByText('at eight');
    await waitFor(() => expect(screen.queryByRole('alert')).toBeNull());
  });

  it('leaves it to the door to say that the session is over', async () => {
    const { queries } = shown(['at seven', signedOut]);
    await screen.findByText('at seven');
    await queries.refetchQueries();
    expect(screen.queryByRole('alert')).toBeNull();
    expect(screen.getByText('at seven').isConnected).toBe(true);
  });

  it('is not for a question that was never answered: that one has nothing to keep', async () => {
    shown([broken]);
    await screen.findByText('nothing to show');
    expect(screen.queryByRole('alert')).toBeNull();
  });
});
