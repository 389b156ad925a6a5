import { fireEvent, screen, waitFor } from '@testing-library/react';
import user from '@testing-library/user-event';
import { useState } from 'react';
import { Link } from 'react-router';
import { describe, expect, test, vi } from 'vitest';

import { show, showRoutes } from '../../testing/office';
import type { Problem } from '../problem';
import { DateField, MomentField, TimeField } from './DateField';
import { Dialog } from './Dialog';
import { Choice, Field } from './Field';
import { Find } from './Find';
import { Form } from './Form';
import { NumberField } from './NumberField';
import { SIZES, SPANS } from './numbers';
import { SAVED } from './Unsaved';

const input = (label: string) => screen.getByLabelText<HTMLInputElement>(label);

function Size({ first = null, told }: { first?: number | null; told: (value: number | null) => void }) {
  const [value, setValue] = useState<number | null>(first);
  return (
    <NumberField
      label="Allowance"
      value={value}
      onChange={(next) => {
        setValue(next);
        told(next);
      }}
      units={SIZES}
      least={1024}
      optional
    />
  );
}

describe('a number with its unit', () => {
  test.each(['1.5', '1,5', '0.5', '0,25'])('%s stays as it is typed, letter by letter', async (text) => {
    const told = vi.fn();
    show(<Size told={told} />);
    await user.type(input('Allowance'), text);
    expect(input('Allowance').value).toBe(text);
    expect(told).toHaveBeenLastCalledWith(Math.round(Number(text.replace(',', '.')) * 1024 ** 2));
  });

  test('a unit typed behind it, or chosen beside it, counts', async () => {
    const told = vi.fn();
    show(<Size told={told} />);
    await user.type(input('Allowance'), '2 GiB');
    expect(told).toHaveBeenLastCalledWith(2 * 1024 ** 3);
    await user.tab();
    expect([input('Allowance').value, screen.getByLabelText<HTMLSelectElement>('Allowance: unit').value]).toEqual(['2', 'GiB']);
    await user.selectOptions(screen.getByLabelText('Allowance: unit'), 'TiB');
    expect(told).toHaveBeenLastCalledWith(2 * 1024 ** 4);
  });

  test('what cannot be read is marked, said, and told to nobody', async () => {
    const told = vi.fn();
    show(<Size first={1024 ** 2} told={told} />);
    await user.clear(input('Allowance'));
    told.mockClear();
    await user.type(input('Allowance'), '-3');
    expect(input('Allowance').getAttribute('aria-invalid')).toBe('true');
    expect(document.getElementById(input('Allowance').getAttribute('aria-describedby') ?? '')?.textContent).toBe(
      'Write it without a sign.',
    );
    expect(told).not.toHaveBeenCalled();
  });

  test('emptied, it is no limit', async () => {
    const told = vi.fn();
    show(<Size first={1024 ** 3} told={told} />);
    expect(input('Allowance').value).toBe('1');
    await user.clear(input('Allowance'));
    expect(told).toHaveBeenLastCalledWith(null);
  });

  test('half a run at a time is refused, and not made one', async () => {
    const told = vi.fn();
    function Runs() {
      const [runs, setRuns] = useState<number | null>(4);
      return (
        <NumberField
          label="Runs"
          value={runs}
          onChange={(next) => {
            setRuns(next);
            told(next);
          }}
          least={1}
          most={32}
        />
      );
    }
    show(<Runs />);
    await user.clear(input('Runs'));
    await user.type(input('Runs'), '1.5');
    expect([input('Runs').value, input('Runs').getAttribute('aria-invalid')]).toEqual(['1.5', 'true']);
    expect(new Set(told.mock.calls.flat())).toEqual(new Set([1]));
  });

  test('a promise is said in days', () => {
    show(<NumberField label="Promise" value={3 * 86_400} onChange={() => undefined} units={SPANS} />);
    expect([input('Promise').value, screen.getByLabelText<HTMLSelectElement>('Promise: unit').value]).toEqual(['3', 'days']);
  });
});

describe('days and times', () => {
  function Day({ told, first = '' }: { told: (day: string) => void; first?: string }) {
    const [day, setDay] = useState(first);
    return (
      <DateField
        label="Until"
        value={day}
        onChange={(next) => {
          setDay(next);
          told(next);
        }}
      />
    );
  }

  test('a day stands as the office writes it, however it was typed', async () => {
    const told = vi.fn();
    show(<Day told={told} />);
    await user.type(input('Until'), '24.11.2026');
    expect(told).toHaveBeenLastCalledWith('2026-11-24');
    await user.tab();
    expect(input('Until').value).toBe('Tue 24 Nov 2026');
  });

  test('a day that there is not is marked and said', async () => {
    const told = vi.fn();
    show(<Day told={told} first="2026-11-24" />);
    expect(input('Until').value).toBe('Tue 24 Nov 2026');
    await user.clear(input('Until'));
    await user.type(input('Until'), '31.11.2026');
    expect(input('Until').getAttribute('aria-invalid')).toBe('true');
    expect(told).toHaveBeenCalledTimes(1);
    expect(told).toHaveBeenLastCalledWith('');
  });

  test('a time is shown with 24 hours', async () => {
    const told = vi.fn();
    function At() {
      const [at, setAt] = useState('22:00:00');
      return (
        <TimeField
          label="At"
          value={at}
          onChange={(next) => {
            setAt(next);
            told(next);
          }}
        />
      );
    }
    show(<At />);
    expect(input('At').value).toBe('22:00');
    await user.clear(input('At'));
    await user.type(input('At'), '7 pm');
    expect(told).toHaveBeenLastCalledWith('19:00');
    await user.clear(input('At'));
    await user.type(input('At'), '21');
    expect(told).toHaveBeenLastCalledWith('');
    await user.keyboard('{Enter}');
    expect([told.mock.lastCall, input('At').value]).toEqual([['21:00'], '21:00']);
  });

  test('a moment is told once both halves are there', async () => {
    const told = vi.fn();
    show(<MomentField label="Taken" value="" onChange={told} />);
    await user.type(input('Taken'), '2025-03-01');
    expect(told).toHaveBeenLastCalledWith('');
    await user.type(input('Taken: time'), '18');
    await user.tab();
    expect(told).toHaveBeenLastCalledWith('2025-03-01T18:00');
  });
});

const PROBLEM: Problem = { title: 'There is one of that name.', remedy: 'Choose another.', field: 'name' };

describe('a form', () => {
  function Account({ problem = null, onSubmit = () => undefined }: { problem?: Problem | null; onSubmit?: () => void }) {
    const [name, setName] = useState('');
    return (
      <Form problem={problem} onSubmit={onSubmit}>
        <Field label="Name" value={name} onChange={setName} field="name" hint="Short." required />
        <Choice label="Role" value="a" onChange={() => undefined} options={[{ value: 'a', label: 'A' }]} />
        <button type="submit">Save</button>
      </Form>
    );
  }

  test('what must be filled says so once somebody has tried, takes the focus, and nothing is sent', async () => {
    const sent = vi.fn();
    show(<Account onSubmit={sent} />);
    expect(input('Name').getAttribute('aria-invalid')).toBeNull();
    await user.click(screen.getByText('Save'));
    expect(screen.getByRole('alert').textContent).toBe('This cannot be empty.');
    expect([document.activeElement, sent.mock.calls.length]).toEqual([input('Name'), 0]);
    await user.type(input('Name'), 'x{Enter}');
    expect(sent).toHaveBeenCalledTimes(1);
    expect(screen.queryByRole('alert')).toBeNull();
  });

  test('what the server refused stands beside its field, is joined to it, and has the focus', () => {
    show(<Account problem={PROBLEM} />);
    expect(screen.getAllByRole('alert').map((one) => one.textContent)).toEqual(['There is one of that name. Choose another.']);
    const described = (input('Name').getAttribute('aria-describedby') ?? '')
      .split(' ')
      .map((id) => document.getElementById(id)?.textContent);
    expect(described).toEqual(['There is one of that name. Choose another.', 'Short.']);
    expect(document.activeElement).toBe(input('Name'));
  });

  test('a refusal of no field of it stands on top', () => {
    show(<Account problem={{ ...PROBLEM, field: 'elsewhere' }} />);
    expect(screen.getByRole('alert').textContent).toContain('There is one of that name.');
    expect(input('Name').getAttribute('aria-invalid')).toBeNull();
  });

  test.each(['<b>bold</b>', 'é', 'W'.repeat(80), 'שלום עולם'])('the name %s is text and nothing else', async (name) => {
    show(<Account />);
    await user.click(input('Name'));
    await user.paste(name);
    expect(input('Name').value).toBe(name);
    expect(document.querySelector('b')).toBeNull();
  });
});

describe('what was typed is not lost by a slip', () => {
  function Screen() {
    const [text, setText] = useState('');
    return (
      <>
        <Form unsaved={text !== ''} onSubmit={() => undefined}>
          <Field label="Text" value={text} onChange={setText} />
        </Form>
        <Form onSubmit={() => undefined}>with nothing to lose</Form>
        <Link to="/else">away</Link>
        <Link to="/else" state={SAVED}>
          saved and away
        </Link>
      </>
    );
  }
  const routes = [
    { path: '/', element: <Screen /> },
    { path: '/else', element: <p>elsewhere</p> },
  ];

  test('leaving asks first, and staying keeps it', async () => {
    showRoutes(routes);
    await user.type(input('Text'), 'mine');
    await user.click(screen.getByText('away'));
    await user.click(await screen.findByText('Stay here'));
    expect([input('Text').value, screen.queryByText('elsewhere')]).toEqual(['mine', null]);
    await user.click(screen.getByText('away'));
    await user.click(await screen.findByText('Leave'));
    expect(await screen.findByText('elsewhere')).toBeTruthy();
  });

  test('nothing typed, or saved, asks nothing', async () => {
    showRoutes(routes);
    await user.type(input('Text'), 'mine');
    await user.click(screen.getByText('saved and away'));
    expect(await screen.findByText('elsewhere')).toBeTruthy();
  });
});

describe('a dialog', () => {
  test('Escape cancels, Enter sends', async () => {
    const [sent, cancelled] = [vi.fn(), vi.fn()];
    show(
      <Dialog title="Put it off" action="Put off" onSubmit={sent} onCancel={cancelled}>
        <Field label="Why" value="x" onChange={() => undefined} />
      </Dialog>,
    );
    await user.type(input('Why'), '{Enter}');
    expect([sent.mock.calls.length, cancelled.mock.calls.length]).toEqual([1, 0]);
    await user.keyboard('{Escape}');
    expect(cancelled).toHaveBeenCalledTimes(1);
  });
});

describe('words to look for', () => {
  function Screen({ find }: { find: (words: string) => void }) {
    const [words, setWords] = useState('');
    return (
      <>
        <Find
          label="Find"
          value={words}
          onFind={(next) => {
            find(next);
            // the list is drawn anew some time later, as an address is followed
            setTimeout(() => setWords(next), 40);
          }}
          found={`${words.length} letters`}
        />
        <button type="button" onClick={() => setWords('from a link')}>
          other
        </button>
      </>
    );
  }

  test.each([0, 60, 350])('no letter is lost at %d ms a key, and they are asked for when the typing rests', async (delay) => {
    const find = vi.fn();
    show(<Screen find={find} />);
    await user.setup({ delay }).type(input('Find'), 'holder 44');
    expect(input('Find').value).toBe('holder 44');
    await waitFor(() => expect(find).toHaveBeenLastCalledWith('holder 44'));
    if (delay < 300) expect(find).toHaveBeenCalledTimes(1);
    await waitFor(() => expect(screen.getByRole('status').textContent).toBe('9 letters found'));
    expect(input('Find').value).toBe('holder 44');
  });

  test('Enter looks at once, Escape empties it', async () => {
    const find = vi.fn();
    show(<Screen find={find} />);
    await user.type(input('Find'), 'x{Enter}');
    expect(find).toHaveBeenLastCalledWith('x');
    await waitFor(() => expect(screen.getByRole('status').textContent).toBe('1 letters found'));
    await user.type(input('Find'), '{Escape}');
    expect([input('Find').value, find.mock.lastCall]).toEqual(['', ['']]);
  });

  test('an answer that is slower than the typing takes no letter away', async () => {
    const find = vi.fn();
    function Slow() {
      const [words, setWords] = useState('');
      return (
        <>
          <Find label="Find" value={words} onFind={find} />
          {['ab', 'abc', 'from a link'].map((next) => (
            <button key={next} type="button" onClick={() => setWords(next)}>
              {next}
            </button>
          ))}
        </>
      );
    }
    const follow = (words: string) => fireEvent.click(screen.getByRole('button', { name: words }));
    show(<Slow />);
    await user.type(input('Find'), 'ab');
    await waitFor(() => expect(find).toHaveBeenLastCalledWith('ab'));
    await user.type(input('Find'), 'c');
    follow('ab');
    expect(input('Find').value).toBe('abc');
    await waitFor(() => expect(find).toHaveBeenLastCalledWith('abc'));
    follow('abc');
    follow('from a link');
    expect(input('Find').value).toBe('from a link');
  });

  test('words that come from elsewhere stand in it', () => {
    show(<Screen find={() => undefined} />);
    fireEvent.click(screen.getByText('other'));
    expect(input('Find').value).toBe('from a link');
  });
});
