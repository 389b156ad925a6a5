/** Days on which the office is closed: one by one, or from a calendar file that is shown before it is taken. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { Form } from '../../ui/forms/Form';
import { DateField } from '../../ui/forms/DateField';
import { Field } from '../../ui/forms/Field';
import { counted, plainDay } from '../../ui/format';
import { OfficeTabs } from '../../ui/OfficeTabs';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

type Read = Schemas['ReadCalendar'];

export function ClosedDaysScreen() {
  const may = useMay();
  const days = useQuery({ queryKey: key('closed-days'), queryFn: () => told(client.GET('/api/closed-days')) });
  const mayChange = may('set_up');
  const [body, setBody] = useState({ day: '', name: '' });
  const add = useAct(
    () => client.POST('/api/closed-days', { body }),
    'office',
    () => setBody({ day: '', name: '' }),
  );
  const remove = useAct((day: string) => client.DELETE('/api/closed-days/{day}', { params: { path: { day } } }), 'office');
  const problem = add.problem ?? remove.problem;
  return (
    <>
      <Heading title="Closed days">Office</Heading>
      <p className="sub">Each plan says whether it runs on these days, and whether they count towards its promise.</p>
      <OfficeTabs />
      <div className="halves">
        <section>
          <h2>Days on which the office is closed</h2>
          <div className="sheet scroll" style={{ maxHeight: 560, overflowY: 'auto' }}>
            {days.isPending && <Loading what="the days" />}
            {days.isLoadingError && <Failed problem={problemOf(days.error)} onRetry={() => void days.refetch()} />}
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
                          <button
                            type="button"
                            className="linklike"
                            aria-label={`open again: ${plainDay(one.day)}`}
                            onClick={() => remove.go(one.day)}
                          >
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
            <FromCalendar />
            <Form className="sheet pad" onSubmit={() => add.go()} problem={problem}>
              <h2>One day</h2>
              <div className="halves">
                <DateField label="Day" value={body.day} onChange={(day) => setBody({ ...body, day })} field="day" required />
                <Field label="Why" value={body.name} onChange={(name) => setBody({ ...body, name })} maxLength={120} />
              </div>
              <Button type="submit" size="sm" disabled={add.busy}>
                Closed on that day
              </Button>
            </Form>
          </div>
        )}
      </div>
    </>
  );
}

function FromCalendar() {
  const [text, setText] = useState('');
  const [read, setRead] = useState<Read | null>(null);
  const ask = useAct(
    ({ calendar, confirmed }: { calendar: string; confirmed: boolean }) =>
      client.POST('/api/closed-days/read', { body: { calendar, confirmed } }),
    'office',
    (found, { confirmed }) => setRead(confirmed ? null : found),
  );
  const choose = async (file: File | undefined) => {
    if (!file) return;
    const calendar = await file.slice(0, 2 * 1024 * 1024).text();
    setText(calendar);
    ask.go({ calendar, confirmed: false });
  };
  return (
    <section className="sheet pad">
      <h2>From a calendar file</h2>
      <Refused problem={ask.problem} />
      <label className="form-label">
        A file with holidays (.ics)
        <input
          className="form-control form-control-sm"
          type="file"
          accept=".ics,text/calendar"
          onChange={(event) => void choose(event.target.files?.[0])}
        />
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
          <Button size="sm" disabled={ask.busy} onClick={() => ask.go({ calendar: text, confirmed: true })}>
            Take these days
          </Button>
        </>
      )}
    </section>
  );
}
