/** A labelled input with its hint and, when the server refused it, marked as wrong. */
import { useId, type InputHTMLAttributes, type ReactNode } from 'react';
import Form from 'react-bootstrap/Form';

import type { Problem } from './problem';

interface Props extends Omit<InputHTMLAttributes<HTMLInputElement>, 'onChange' | 'size' | 'value'> {
  label: string;
  value: string | number;
  onChange: (value: string) => void;
  hint?: ReactNode;
  problem?: Problem | null;
  field?: string;
  suggestions?: string[] | undefined;
}

export function Field({ label, value, onChange, hint, problem, field, suggestions, ...rest }: Props) {
  const id = useId();
  const wrong = Boolean(field) && problem?.field === field;
  return (
    <div className="field">
      <Form.Label htmlFor={id}>{label}</Form.Label>
      <Form.Control
        {...rest}
        id={id}
        value={value}
        isInvalid={wrong}
        aria-describedby={hint ? `${id}-hint` : undefined}
        list={suggestions ? `${id}-list` : undefined}
        onChange={(event) => onChange(event.target.value)}
      />
      {suggestions && (
        <datalist id={`${id}-list`}>
          {suggestions.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
      )}
      {hint && (
        <div id={`${id}-hint`} className="hint">
          {hint}
        </div>
      )}
    </div>
  );
}

export function Choice({
  label,
  value,
  onChange,
  options,
  problem,
  field,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  options: { value: string; label: string }[];
  problem?: Problem | null;
  field?: string;
}) {
  const id = useId();
  return (
    <div className="field">
      <Form.Label htmlFor={id}>{label}</Form.Label>
      <Form.Select id={id} value={value} onChange={(event) => onChange(event.target.value)} isInvalid={Boolean(field) && problem?.field === field}>
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.label}
          </option>
        ))}
      </Form.Select>
    </div>
  );
}
