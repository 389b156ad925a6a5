/** A number with its unit. The text stays as it was typed; who uses it is told the value, in bytes, seconds or pieces. */
import { useState } from 'react';

import { Field } from './Field';
import { outOfBounds, readAmount, unitFor, written, type Unit } from './numbers';

const PIECES: Unit[] = [{ label: '', each: 1 }];

interface Props {
  label: string;
  /** In the smallest unit; null for nothing. */
  value: number | null;
  onChange: (value: number | null) => void;
  units?: readonly Unit[];
  /** Bounds, in the smallest unit. */
  least?: number;
  most?: number;
  /** Only whole numbers of the smallest unit, typed in whole numbers: pieces, days, percent. */
  whole?: boolean;
  /** Nothing may be typed, which means no limit or no wish. */
  optional?: boolean;
  hint?: string;
  field?: string;
  className?: string;
  compact?: boolean;
  placeholder?: string;
  disabled?: boolean;
}

export function NumberField({
  label,
  value,
  onChange,
  units = PIECES,
  least,
  most,
  whole = units === PIECES,
  optional,
  hint,
  field,
  className,
  disabled,
  compact,
  placeholder,
}: Props) {
  const [unit, setUnit] = useState(() => unitFor(value, units));
  const [text, setText] = useState(() => written(value, unit));
  const read = readAmount(text, units, unit, whole);
  const empty = text.trim() === '';
  const said = empty ? null : 'value' in read ? read.value : undefined;
  const wrong = empty ? null : 'wrong' in read ? read.wrong : outOfBounds(read.value, read.unit, least, most);
  // the value was changed by somebody else: what stands here is no longer what is
  const [known, setKnown] = useState(value);
  if (value !== known) {
    setKnown(value);
    if (value !== said && !(wrong && value === null)) {
      const next = unitFor(value, units);
      setUnit(next);
      setText(written(value, next));
    }
  }
  const type = (next: string, by: Unit) => {
    setText(next);
    setUnit(by);
    const meant = readAmount(next, units, by, whole);
    const now =
      next.trim() === '' ? null : 'value' in meant && !outOfBounds(meant.value, meant.unit, least, most) ? meant.value : undefined;
    if (now === undefined || (now === null && !optional)) return;
    setKnown(now);
    onChange(now);
  };
  return (
    <Field
      label={label}
      value={text}
      onChange={(next) => type(next, unit)}
      onBlur={() => {
        if ('value' in read && read.unit !== unit) {
          setUnit(read.unit);
          setText(written(read.value, read.unit));
        }
      }}
      inputMode="decimal"
      autoComplete="off"
      required={!optional}
      disabled={disabled}
      wrong={wrong}
      compact={compact}
      placeholder={placeholder}
      hint={hint}
      field={field}
      className={`number ${className ?? ''}`}
      after={<UnitChoice label={label} units={units} unit={unit} disabled={disabled} onChange={(next) => type(text, next)} />}
    />
  );
}

function UnitChoice({
  label,
  units,
  unit,
  disabled,
  onChange,
}: {
  label: string;
  units: readonly Unit[];
  unit: Unit;
  disabled: boolean | undefined;
  onChange: (unit: Unit) => void;
}) {
  if (units.length === 1) return unit.label ? <span className="unit">{unit.label}</span> : null;
  return (
    <select
      className="form-select unit"
      aria-label={`${label}: unit`}
      value={unit.label}
      disabled={disabled}
      onChange={(event) => {
        const chosen = units.find((one) => one.label === event.target.value);
        if (chosen) onChange(chosen);
      }}
    >
      {units.map((one) => (
        <option key={one.label} value={one.label}>
          {one.label}
        </option>
      ))}
    </select>
  );
}
