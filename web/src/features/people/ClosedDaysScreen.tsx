/** Days on which the office is closed: one by one, or from a calendar file that is shown before it is taken. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe } from '../../api/queries';
import { Field } from '../../ui/Field';
import { counted, plainDay } from '../../ui/format';
import { OfficeTabs } from '../../ui/OfficeTabs';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

type Read = Schemas['ReadCalendar'];

export function ClosedDaysScreen() {
  const me = useMe();
  const queries = useQueryClient();
  const days = useQuery({ queryKey: ['closed-days'], queryFn: () => told(client.GET('/api/closed-days')) });
  const mayChange = me.data?.user?.role === 'administrator';
  const again = () => queries.invalidateQueries();
  const [body, setBody] = useState({ day: '', name: '' });
  const add = useMutation({
    mutationFn: () => told(client.POST('/api/closed-days', { body })),
    onSuccess: () => {
      setBody({ day: '', name: '' });
      return again();
    },
  });
  const remove = useMutation({ mutationFn: (day: string) => told(client.DELETE('/api/closed-days/{day}', { params: { path: { day } } })), onSuccess: again });
  const problem = add.error ? problemOf(add.error) : remove.error ? problemOf(remove.error) : null;
  return (
    <>
      <h1 tabIndex={-1}>Office</h1>
      <p className="sub">Each plan says whether it runs on these days, and whether they count towards its promise.</p>
      <OfficeTabs />
      <div className="halves">
        <section>
          <h2>Days on which the office is closed</h2>
          <div className="sheet scroll" style={{ maxHeight: 560, overflowY: 'auto' }}>
            {days.isPending && <Loading what="the days" />}
            {days.isError && <Failed problem={problemOf(days.error)} onRetry={() => void days.refetch()} />}
            {days.data?.length === 0 && <Empty>None yet. Take them from a calendar file with the holidays of your region.</Empty>}
            {days.data && days.data.length > 0 && (
              <table className="rows dense">
                <tbody>
                  {days.data.map((one) => (
                    <tr key={one.day}>
                      <td className="nowrap">{plainDay(one.day)}</td>
                      <td>{one.name}</td>
                      <td className="num">
                        {mayChange && (
                          <button type="button" className="linklike" aria-label={`open again: ${plainDay(one.day)}`} onClick={() => remove.mutate(one.day)}>
                            open again
                          </button>
                        )}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </div>
        </section>
        {mayChange && (
          <div className="stack">
            <FromCalendar onTaken={again} />
            <form
              className="sheet pad"
              onSubmit={(event) => {
                event.preventDefault();
                add.mutate();
              }}
            >
              <h2>One day</h2>
              <Refused problem={problem} />
              <div className="halves">
                <Field label="Day" type="date" value={body.day} onChange={(day) => setBody({ ...body, day })} problem={problem} field="day" required />
                <Field label="Why" value={body.name} onChange={(name) => setBody({ ...body, name })} maxLength={120} />
              </div>
              <Button type="submit" size="sm" disabled={add.isPending}>
                Closed on that day
              </Button>
            </form>
          </div>
        )}
      </div>
    </>
  );
}

function FromCalendar({ onTaken }: { onTaken: () => Promise<void> }) {
  const [text, setText] = useState('');
  const [read, setRead] = useState<Read | null>(null);
  const ask = useMutation({
    mutationFn: ({ calendar, confirmed }: { calendar: string; confirmed: boolean }) => told(client.POST('/api/closed-days/read', { body: { calendar, confirmed } })),
    onSuccess: async (found, { confirmed }) => {
      setRead(confirmed ? null : found);
      if (confirmed) await onTaken();
    },
    onError: () => setRead(null),
  });
  const choose = async (file: File | undefined) => {
    if (!file) return;
    const calendar = await file.slice(0, 2 * 1024 * 1024).text();
    setText(calendar);
    ask.mutate({ calendar, confirmed: false });
  };
  return (
    <section className="sheet pad">
      <h2>From a calendar file</h2>
      <Refused problem={ask.error ? problemOf(ask.error) : null} />
      <label className="form-label">
        A file with holidays (.ics)
        <input className="form-control form-control-sm" type="file" accept=".ics,text/calendar" onChange={(event) => void choose(event.target.files?.[0])} />
      </label>
      {read && (
        <>
          <p className="mb-1">
            It holds {counted(read.days.length, 'day')}, {read.new} of them new. Nothing is taken yet.
          </p>
          <ul className="log mb-2" style={{ maxHeight: 220, overflowY: 'auto' }}>
            {read.days.map((one) => (
              <li key={one.day}>
                <time>{plainDay(one.day)}</time> <span>{one.name}</span>
              </li>
            ))}
          </ul>
          <Button size="sm" disabled={ask.isPending} onClick={() => ask.mutate({ calendar: text, confirmed: true })}>
            Take these days
          </Button>
        </>
      )}
    </section>
  );
}
