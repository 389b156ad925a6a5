/** When a plan runs: a sentence to fill in, the window, what holds a run back, and the days that are left out. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { plainDay } from '../../ui/format';
import { DateField, TimeField } from '../../ui/forms/DateField';
import { NumberField } from '../../ui/forms/NumberField';
import { MINUTES, PERCENT } from '../../ui/forms/numbers';
import { Check, Choice, Field } from '../../ui/forms/Field';
import { DAY_NAMES, ORDINALS, toggled, WEEKDAYS, type Draft, type Part, type Pattern } from './words';

const SHAPES: { value: Pattern['shape']; label: string }[] = [
  { value: 'every_night', label: 'every night' },
  { value: 'every_days', label: 'every few days' },
  { value: 'weekdays', label: 'on chosen weekdays' },
  { value: 'monthly', label: 'once a month' },
  { value: 'working_time', label: 'in working time' },
  { value: 'rule', label: 'by a rule (RFC 5545)' },
];

export function Schedule({ draft, set, problem }: Part) {
  const pattern = draft.pattern;
  const change = (next: Partial<Pattern>) => set('pattern', { ...pattern, ...next });
  return (
    <fieldset className="field">
      <legend className="form-label fw-bold fs-6 mb-1">When</legend>
      <div className="sentence">
        <span>It runs</span>
        <Choice compact label="How often" value={pattern.shape} onChange={(shape) => change(begun(shape, pattern))} options={SHAPES} />
        <Blanks pattern={pattern} change={change} />
        {pattern.shape !== 'working_time' && (
          <>
            <span>at</span>
            <TimeField compact label="Starts at" value={draft.starts_at} onChange={(time) => set('starts_at', time)} required />
          </>
        )}
        <span>and may start until</span>
        <TimeField
          compact
          label="May start until"
          value={draft.window_closes}
          onChange={(time) => set('window_closes', time)}
          field="window_closes"
          required
        />
      </div>
      {problem && ['days', 'nth', 'rule', 'hours', 'to_hour'].includes(problem.field ?? '') && (
        <p className="tone-late mb-1">{problem.title}</p>
      )}
      <Choice
        label="A device that could not be reached by then"
        value={draft.catch_up ? 'catch_up' : 'wait'}
        onChange={(value) => set('catch_up', value === 'catch_up')}
        options={[
          { value: 'wait', label: 'waits for the next time' },
          { value: 'catch_up', label: 'is caught up with as soon as it is there' },
        ]}
      />
      <Conditions draft={draft} set={set} />
      <LeftOut draft={draft} set={set} />
    </fieldset>
  );
}

/** A pattern of another shape, begun with what makes sense there. */
function begun(shape: Pattern['shape'], before: Pattern): Partial<Pattern> {
  const days = before.weekdays ?? [];
  if (shape === 'weekdays') return { shape, weekdays: days.length ? days : [0, 3] };
  if (shape === 'monthly') return { shape, weekdays: [days[0] ?? 0] };
  if (shape === 'working_time') return { shape, weekdays: [0, 1, 2, 3, 4] };
  return { shape };
}

function Blanks({ pattern, change }: { pattern: Pattern; change: (next: Partial<Pattern>) => void }) {
  const days = pattern.weekdays ?? [];
  const number = (label: string, value: number, put: (value: number) => void, most: number) => (
    <NumberField compact label={label} value={value} onChange={(next) => put(next ?? value)} least={1} most={most} />
  );
  const boxes = (
    <span className="days">
      {WEEKDAYS.map((word, day) => (
        <label key={word} className="day-box">
          <input type="checkbox" checked={days.includes(day)} onChange={() => change({ weekdays: toggled(days, day).sort() })} />
          {word}
        </label>
      ))}
    </span>
  );
  switch (pattern.shape) {
    case 'every_days':
      return (
        <>
          <span>: one run in</span>
          {number('Days between runs', pattern.days, (value) => change({ days: value }), 366)}
          <span>days</span>
        </>
      );
    case 'weekdays':
      return boxes;
    case 'monthly':
      return (
        <>
          <span>: the</span>
          <Choice
            compact
            label="Which of the month"
            value={String(pattern.nth)}
            onChange={(nth) => change({ nth: Number(nth) })}
            options={ORDINALS.map(([nth, label]) => ({ value: String(nth), label }))}
          />
          <Choice
            compact
            label="Weekday"
            value={String(days[0] ?? 0)}
            onChange={(day) => change({ weekdays: [Number(day)] })}
            options={DAY_NAMES.map((label, day) => ({ value: String(day), label }))}
          />
        </>
      );
    case 'working_time':
      return (
        <>
          <span>: every</span>
          {number('Hours between runs', pattern.hours, (value) => change({ hours: value }), 12)}
          <span>hours from</span>
          {number('First hour', pattern.from_hour, (value) => change({ from_hour: value }), 23)}
          <span>to</span>
          {number('Last hour', pattern.to_hour, (value) => change({ to_hour: value }), 23)}
          {boxes}
        </>
      );
    case 'rule':
      return (
        <Field
          compact
          required
          className="wide"
          label="Rule"
          placeholder="FREQ=MONTHLY;BYMONTHDAY=1,15"
          value={pattern.rule}
          onChange={(rule) => change({ rule })}
          field="rule"
        />
      );
    default:
      return null;
  }
}

function Conditions({ draft, set }: Part) {
  return (
    <div className="conditions">
      <span className="form-label fw-bold">Only while the device is</span>
      <Check checked={draft.needs_power} onChange={(on) => set('needs_power', on)}>
        on power
      </Check>
      <Check checked={draft.needs_office_wireless} onChange={(on) => set('needs_office_wireless', on)}>
        on the office wireless
      </Check>
      <div className="halves">
        <NumberField
          label="Battery at least"
          value={draft.needs_battery_percent}
          onChange={(value) => set('needs_battery_percent', value ?? 0)}
          units={PERCENT}
          least={0}
          most={100}
          whole
          field="needs_battery_percent"
          hint="0 asks for nothing; power counts as full."
        />
        <NumberField
          label="Not touched for"
          value={draft.not_in_use_minutes}
          onChange={(value) => set('not_in_use_minutes', value ?? 0)}
          units={MINUTES}
          least={0}
          most={600}
          whole
          field="not_in_use_minutes"
          hint="0 asks for nothing."
        />
      </div>
    </div>
  );
}

function LeftOut({ draft, set }: Part) {
  const [day, setDay] = useState('');
  const exceptions = draft.exceptions ?? [];
  return (
    <details className="drop-open" open={Boolean(draft.starts_on || draft.ends_on || exceptions.length)}>
      <summary>First and last day, exceptions</summary>
      <div className="halves mt-1">
        <DateField
          label="First day"
          value={draft.starts_on ?? ''}
          onChange={(value) => set('starts_on', value || null)}
          field="starts_on"
          hint="“Every few days” counts from it."
        />
        <DateField label="Last day" value={draft.ends_on ?? ''} onChange={(value) => set('ends_on', value || null)} field="ends_on" />
      </div>
      <div className="row-end mb-2">
        <DateField compact label="A day without a run" value={day} onChange={setDay} />
        <Button
          size="sm"
          variant="outline-primary"
          disabled={!day}
          onClick={() => {
            set('exceptions', [...new Set([...exceptions, day])].sort());
            setDay('');
          }}
        >
          Leave that day out
        </Button>
      </div>
      <div className="chips mb-2">
        {exceptions.map((one) => (
          <button
            key={one}
            type="button"
            className="chip"
            aria-label={`Take ${one} in again`}
            onClick={() =>
              set(
                'exceptions',
                exceptions.filter((other) => other !== one),
              )
            }
          >
            {plainDay(one)} ×
          </button>
        ))}
      </div>
    </details>
  );
}

/** Which days count: neither runs nor the age of a backup need to take the office's closed days. */
export function DaysThatCount({ draft, set }: { draft: Draft; set: Part['set'] }) {
  const box = (name: 'skips_closed_days' | 'leaves_out_closed_days' | 'leaves_out_away_days', words: string) => (
    <label className="check">
      <input type="checkbox" checked={draft[name]} onChange={(event) => set(name, event.target.checked)} />
      <span>{words}</span>
    </label>
  );
  return (
    <div className="field">
      {box('skips_closed_days', 'Nothing runs on days on which the office is closed')}
      {box('leaves_out_closed_days', 'Days on which the office is closed do not count towards the promise')}
      {box('leaves_out_away_days', 'Days on which the device is known to be away do not count either')}
    </div>
  );
}
