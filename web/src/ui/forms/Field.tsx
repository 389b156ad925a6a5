/** A labelled field with its hint, and what is wrong with it beside it; every other field of the kit is built on this one. */
import { useId, type InputHTMLAttributes, type ReactNode, type Ref } from 'react';
import BootstrapForm from 'react-bootstrap/Form';

import type { Problem } from '../problem';
import { useForm } from './Form';

interface Common {
  label: string;
  hint?: ReactNode;
  /** Its name in what the server is sent: a problem with that name is shown here. */
  field?: string | undefined;
  /** What is wrong with what was typed, whoever says it; the field cannot be sent. */
  wrong?: string | null | undefined;
  /** In a line of filters: its label is heard and not shown. */
  compact?: boolean | undefined;
}

interface Props extends Common, Omit<InputHTMLAttributes<HTMLInputElement>, 'onChange' | 'size' | 'value'> {
  value: string;
  onChange: (value: string) => void;
  suggestions?: string[] | undefined;
  /** Stands right behind the input, such as a unit. */
  after?: ReactNode;
  ref?: Ref<HTMLInputElement>;
}

/** The server's own words for a field, when it refused that one. */
const refusal = (problem: Problem | null, field: string | undefined): string | null =>
  field && problem?.field === field ? [problem.title, problem.remedy].filter(Boolean).join(' ') : null;

/** What a field tells of itself, and what assistive technology is told of it. */
function useTold({ hint, field, wrong }: Pick<Common, 'hint' | 'field' | 'wrong'>, missing: boolean) {
  const id = useId();
  const { problem, tried } = useForm();
  const own = wrong ?? (missing && tried ? 'This cannot be empty.' : null);
  const says = own ?? refusal(problem, field);
  const described = [says && `${id}-wrong`, hint && `${id}-hint`].filter(Boolean).join(' ');
  return {
    id,
    says,
    aria: {
      id,
      'data-field': field,
      'data-wrong': wrong || missing ? '' : undefined,
      'aria-invalid': says ? true : undefined,
      'aria-describedby': described || undefined,
    },
  };
}

interface Surroundings extends Pick<Common, 'label' | 'hint' | 'compact'> {
  id: string;
  says: string | null;
  children: ReactNode;
}

function Around({ id, label, hint, says, compact, children }: Surroundings) {
  return (
    <div className={compact ? 'field compact' : 'field'}>
      <BootstrapForm.Label htmlFor={id} {...(compact ? { className: 'visually-hidden' } : {})}>
        {label}
      </BootstrapForm.Label>
      {children}
      {says && (
        <div id={`${id}-wrong`} className="wrong" role="alert">
          {says}
        </div>
      )}
      {hint && (
        <div id={`${id}-hint`} className="hint">
          {hint}
        </div>
      )}
    </div>
  );
}

/** Text, kept as it is typed. */
export function Field({ label, value, onChange, hint, field, wrong, compact, suggestions, after, ...rest }: Props) {
  const told = useTold({ hint, field, wrong }, Boolean(rest.required) && value.trim() === '');
  const input = (
    <BootstrapForm.Control
      {...rest}
      {...told.aria}
      value={value}
      isInvalid={told.says !== null}
      {...(compact ? { size: 'sm' as const } : {})}
      list={suggestions ? `${told.id}-list` : undefined}
      onChange={(event) => onChange(event.target.value)}
    />
  );
  return (
    <Around id={told.id} label={label} hint={hint} says={told.says} compact={compact}>
      {after ? (
        <div className="with-after">
          {input}
          {after}
        </div>
      ) : (
        input
      )}
      {suggestions && (
        <datalist id={`${told.id}-list`}>
          {suggestions.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
      )}
    </Around>
  );
}

interface LetterProps extends Common {
  value: string;
  onChange: (value: string) => void;
  maxLength: number;
}

/** Several lines of text, kept as they are typed. */
export function Letter({ label, value, onChange, hint, field, wrong, maxLength }: LetterProps) {
  const told = useTold({ hint, field, wrong }, value.trim() === '');
  return (
    <Around id={told.id} label={label} hint={hint} says={told.says}>
      <BootstrapForm.Control
        as="textarea"
        rows={12}
        required
        {...told.aria}
        value={value}
        maxLength={maxLength}
        isInvalid={told.says !== null}
        onChange={(event) => onChange(event.target.value)}
      />
    </Around>
  );
}

interface Choices<Value extends string> extends Common {
  value: Value;
  onChange: (value: Value) => void;
  options: readonly { value: Value; label: string }[];
}

/** One of a few. */
export function Choice<Value extends string>({ label, value, onChange, options, hint, field, wrong, compact }: Choices<Value>) {
  const told = useTold({ hint, field, wrong }, false);
  return (
    <Around id={told.id} label={label} hint={hint} says={told.says} compact={compact}>
      <BootstrapForm.Select
        {...told.aria}
        value={value}
        isInvalid={told.says !== null}
        {...(compact ? { size: 'sm' as const } : {})}
        onChange={(event) => {
          const chosen = options.find((option) => option.value === event.target.value);
          if (chosen) onChange(chosen.value);
        }}
      >
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.label}
          </option>
        ))}
      </BootstrapForm.Select>
    </Around>
  );
}

/** Yes or no, with its words behind it. */
interface CheckProps {
  checked: boolean;
  onChange: (checked: boolean) => void;
  disabled?: boolean;
  children: ReactNode;
}

export function Check({ checked, onChange, disabled = false, children }: CheckProps) {
  return (
    <label className="check">
      <input type="checkbox" checked={checked} disabled={disabled} onChange={(event) => onChange(event.target.checked)} />
      <span>{children}</span>
    </label>
  );
}
