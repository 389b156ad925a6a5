import { screen, waitFor } from '@testing-library/react';
import user from '@testing-library/user-event';
import { useState } from 'react';
import { Link } from 'react-router';
import { beforeEach, describe, expect, test, vi } from 'vitest';

import { show, showRoutes } from '../testing/office';
import { useAddress } from './address';
import { place, RULER_WIDTH, rulerWords, spread } from './AgeRuler';
import { When } from './Office';
import { Pager } from './Pager';
import { FailedScreen, forgetFocus, Heading } from './Screen';
import { Table } from './Table';

beforeEach(() => {
  forgetFocus();
  vi.spyOn(window, 'scrollTo').mockImplementation(() => undefined);
  Element.prototype.scrollIntoView = vi.fn();
});

describe('a screen’s heading', () => {
  function Slow() {
    const [there, setThere] = useState(false);
    return there ? (
      <Heading title="Slow screen" />
    ) : (
      <button type="button" onClick={() => setThere(true)}>
        loaded
      </button>
    );
  }
  const routes = [
    {
      path: '/',
      element: (
        <>
          <Heading title="First" />
          <Link to="/slow">go</Link>
        </>
      ),
    },
    { path: '/slow', element: <Slow /> },
    { path: '/bad', element: <FailedScreen problem={{ title: 'No such thing.', remedy: '', field: null }} /> },
  ];

  test('takes the focus when its screen is come to, also when that loads first', async () => {
    showRoutes(routes);
    expect(document.activeElement).toBe(document.body); // the page itself was opened: nothing is taken
    await user.click(screen.getByText('go'));
    await user.click(await screen.findByText('loaded'));
    expect(document.activeElement).toBe(screen.getByRole('heading', { level: 1, name: 'Slow screen' }));
  });

  test('gives the tab its title', () => {
    showRoutes(routes);
    expect(document.title).toBe('First · Old Attic');
  });

  test('stands over a failed screen, too', () => {
    showRoutes(routes, '/bad');
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe('This could not be shown');
  });
});

describe('pages of a list', () => {
  function List({ count, most }: { count: number; most?: number }) {
    const [page, setPage] = useState(1);
    return (
      <div data-testid="list">
        <p>row</p>
        <Pager page={page} pageSize={50} count={count} onPage={setPage} {...(most ? { most } : {})} />
      </div>
    );
  }

  test.each([0, 1, 50])('%d rows need none', (count) => {
    show(<List count={count} />);
    expect(screen.queryByRole('navigation')).toBeNull();
  });

  test('the next one is announced, and its top has the focus', async () => {
    show(<List count={12_345} />);
    expect(screen.getByRole('status').textContent).toBe('1 to 50 of 12\u202f345');
    await user.click(screen.getByText('Next page'));
    expect(screen.getByRole('status').textContent).toBe('51 to 100 of 12\u202f345');
    expect(document.activeElement).toBe(screen.getByTestId('list'));
  });

  test('more than is counted is said', () => {
    show(<List count={10_001} most={10_000} />);
    expect(screen.getByRole('status').textContent).toContain('more than 10\u202f000: filter for older ones');
  });
});

describe('what is shown is kept in the address', () => {
  function Filters() {
    const { get, number, oneOf, set, page, turn } = useAddress();
    return (
      <>
        <p role="status">{JSON.stringify([get('words'), number('team'), oneOf('order', ['name', 'age']), page])}</p>
        <button type="button" onClick={() => set('words', 'x')}>
          find
        </button>
        <button type="button" onClick={() => turn(3)}>
          turn
        </button>
      </>
    );
  }

  test.each([
    ['/?words=a%20b&team=4&order=age&page=2', ['a b', 4, 'age', 2]],
    ['/?team=-4&order=odd&page=0', [null, null, null, 1]],
    ['/?team=4e3&page=x', [null, null, null, 1]],
    ['/?team=12345678901234567890', [null, null, null, 1]],
  ])('%s', (at, read) => {
    show(<Filters />, at);
    expect(JSON.parse(screen.getByRole('status').textContent)).toEqual(read);
  });

  test('another filter begins at the first page', async () => {
    const { router } = show(<Filters />, '/?page=2');
    await user.click(screen.getByText('turn'));
    await waitFor(() => expect(router.state.location.search).toBe('?page=3'));
    expect(router.state.historyAction).toBe('PUSH'); // the browser's own way back leads to the page before
    await user.click(screen.getByText('find'));
    await waitFor(() => expect(router.state.location.search).toBe('?words=x'));
    expect(router.state.historyAction).toBe('REPLACE');
  });
});

describe('the age ruler', () => {
  test.each([
    [0, 12],
    [6, 46],
    [18, 80],
    [-5, 12],
    [100_000, RULER_WIDTH],
  ])('%d hours lie at %d', (hours, at) => expect(Math.round(place(hours))).toBe(at));

  test('older is never further left', () => {
    for (let hours = 0; hours < 2000; hours += 7) expect(place(hours + 7)).toBeGreaterThanOrEqual(place(hours));
  });
});

test('a moment stands by the office’s clocks, exactly on hover', () => {
  show(<When at="2026-11-24T23:30:05Z" />);
  const time = screen.getByText(/00:30/);
  expect([time.textContent.replace(',', ''), time.title]).toEqual(['Wed 25 Nov 00:30', '2026-11-25 00:30:05 (Europe/Berlin)']);
});

describe('a table', () => {
  const columns = [
    { head: 'Name', cell: (row: { name: string; size: number }) => row.name },
    { head: 'Size', number: true, cell: (row: { size: number }) => row.size },
    { head: 'Choose', hidden: true, cell: () => 'x' },
  ];
  const rows = [
    { name: 'one', size: 1 },
    { name: 'two', size: 2 },
  ];

  test('has a heading a column, and each cell says on a card what it is', () => {
    show(<Table columns={columns} rows={rows} keyOf={(row) => row.name} rowClass={(row) => (row.size > 1 ? 'chosen' : undefined)} />);
    expect(screen.getAllByRole('columnheader').map((head) => head.textContent)).toEqual(['Name', 'Size', 'Choose']);
    expect(screen.getAllByRole('cell').map((cell) => [cell.textContent, cell.dataset['label'], cell.className])).toEqual([
      ['one', 'Name', ''],
      ['1', 'Size', 'num'],
      ['x', undefined, ''],
      ['two', 'Name', ''],
      ['2', 'Size', 'num'],
      ['x', undefined, ''],
    ]);
    expect(screen.getAllByRole('row').map((row) => row.className)).toEqual(['', '', 'chosen']);
  });

  test('without headings says nothing on its cards either', () => {
    show(<Table headless columns={columns} rows={rows} keyOf={(row) => row.name} />);
    expect([screen.queryAllByRole('columnheader').length, screen.getAllByRole('cell')[0]?.dataset['label']]).toEqual([0, undefined]);
  });
});

describe('the ruler with a mark for each medium', () => {
  const now = Date.parse('2026-03-02T08:00:00Z');
  const places = [
    { medium: 'folder', newest_at: '2026-03-02T02:00:00Z' },
    { medium: 'bucket', newest_at: '2026-03-02T01:30:00Z' },
    { medium: 'drive', newest_at: '2026-02-20T08:00:00Z' },
  ];
  test('in words', () => {
    const told = { newestAt: '2026-03-02T02:00:00Z', promiseSeconds: 2 * 86_400, now };
    expect(rulerWords(told)).toBe('newest good backup 6 hours old, promised within 2 days');
    expect(rulerWords({ ...told, places, ownAt: '2026-03-01T08:00:00Z' })).toBe(
      'newest good backup 6 hours old, promised within 2 days; by medium: folder 6 hours, cloud 7 hours, drive 10 days; its own cloud, as it says: 24 hours',
    );
    expect(rulerWords({ newestAt: null, promiseSeconds: null, now })).toBe('no backup yet, nothing promised');
  });
  test('none lies on another, and each stands by its age', () => {
    const [one, two, three] = spread(places, now);
    expect([one?.medium, two?.medium, three?.medium]).toEqual(['folder', 'bucket', 'drive']);
    expect((two?.x ?? 0) - (one?.x ?? 0)).toBeGreaterThanOrEqual(10);
    expect(three?.x).toBe(place(10 * 24));
  });
});
