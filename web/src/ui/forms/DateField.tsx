/** Days and times, typed and shown the office's way whatever the browser's language; the browser's calendar helps to pick a day. */
import { useRef, useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';

import { useNow, useZone } from '../Office';
import { dayIn, readDay, readTime, writtenDay } from './dates';
import { Field } from './Field';

interface Props {
  label: string;
  /** `2026-11-24` or `22:05`; empty for none. */
  value: string;
  onChange: (value: string) => void;
  required?: boolean;
  hint?: string;
  field?: string;
  className?: string;
  compact?: boolean;
  placeholder?: string;
}

/** The text that stands in a field whose value is something else: as typed while it is typed, as the office writes it otherwise. */
function useText(
  value: string,
  show: (value: string) => string,
  read: (text: string) => string | null,
  whole: RegExp,
  onChange: (value: string) => void,
) {
  const [text, setText] = useState(() => (value ? show(value) : ''));
  const [known, setKnown] = useState(value);
  if (value !== known) {
    setKnown(value);
    setText(value ? show(value) : '');
  }
  const put = (next: string) => {
    setText(next);
    if (next.trim() === '') tell('');
    else if (whole.test(next.trim())) tell(read(next));
  };
  const tell = (meant: string | null) => {
    if (meant === null || meant === value) return;
    setKnown(meant);
    onChange(meant);
  };
  // `24.1` may become `24.11.`: what is short for something is read once the typing has ended
  const settle = () => {
    const meant = read(text);
    if (!meant) return;
    setText(show(meant));
    tell(meant);
  };
  return { text, put, settle, readable: text.trim() === '' || read(text) !== null };
}

/** The text field that both are. */
function Typed({ typed, kind, example, says, ...rest }: TypedProps) {
  return (
    <Field
      {...rest}
      value={typed.text}
      onChange={typed.put}
      onBlur={typed.settle}
      onKeyDown={(event) => event.key === 'Enter' && typed.settle()}
      autoComplete="off"
      placeholder={rest.placeholder ?? example}
      className={`${kind} ${rest.className ?? ''}`}
      wrong={typed.readable ? null : says}
    />
  );
}

interface TypedProps extends Omit<Props, 'value' | 'onChange'> {
  typed: ReturnType<typeof useText>;
  kind: 'date' | 'time';
  example: string;
  /** What is said of a text that cannot be read. */
  says: string;
  inputMode?: 'numeric';
  after?: ReactNode;
}

const WHOLE_DAY = /\d{4}$|^\d{4}-\d{2}-\d{2}$/;
const WHOLE_TIME = /^\d{2}:\d{2}$|m$/;

export function DateField({ value, onChange, ...rest }: Props) {
  const zone = useZone();
  const now = useNow();
  const typed = useText(value, writtenDay, (text) => readDay(text, dayIn(now, zone)), WHOLE_DAY, onChange);
  return (
    <Typed
      {...rest}
      typed={typed}
      kind="date"
      example="24 Nov 2026"
      says="Write a day such as 24 Nov 2026, 24.11.2026 or 2026-11-24."
      after={<PickDay label={rest.label} value={value} onPick={(day) => typed.put(writtenDay(day))} />}
    />
  );
}

function PickDay({ label, value, onPick }: { label: string; value: string; onPick: (day: string) => void }) {
  const picker = useRef<HTMLInputElement>(null);
  return (
    <span className="pick-day">
      <input ref={picker} type="date" inert value={value} onChange={(event) => event.target.value && onPick(event.target.value)} />
      <Button size="sm" variant="outline-primary" aria-label={`${label}: pick in a calendar`} onClick={() => picker.current?.showPicker()}>
        Pick
      </Button>
    </span>
  );
}

export function TimeField({ value, onChange, ...rest }: Props) {
  const typed = useText(value.slice(0, 5), (time) => time, readTime, WHOLE_TIME, onChange);
  return <Typed {...rest} typed={typed} kind="time" example="22:00" says="Write a time such as 22:00." inputMode="numeric" />;
}

/** A moment by the office's clocks: `2026-11-24T18:05`; empty while either half is. */
export function MomentField({ label, value, onChange, ...rest }: Props) {
  const [day, setDay] = useState(value.slice(0, 10));
  const [time, setTime] = useState(value.slice(11, 16));
  const put = (nextDay: string, nextTime: string) => {
    setDay(nextDay);
    setTime(nextTime);
    onChange(nextDay && nextTime ? `${nextDay}T${nextTime}` : '');
  };
  return (
    <div className="moment">
      <DateField {...rest} label={label} value={day} onChange={(next) => put(next, time)} />
      <TimeField label={`${label}: time`} value={time} onChange={(next) => put(day, next)} {...(rest.required ? { required: true } : {})} />
    </div>
  );
}
