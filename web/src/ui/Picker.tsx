/** One thing out of many, found by typing: what is chosen always stands there by name, and nothing else does. */
import { useId, useRef, useState, type KeyboardEvent } from 'react';
import Form from 'react-bootstrap/Form';

export interface Option {
  value: string;
  label: string;
}

export interface Found {
  /** The words for what is chosen; empty while nothing is, or while they are not known yet. */
  shown: string;
  options: Option[];
  /** How many more fit than are listed. */
  more: number;
  busy: boolean;
  onFind: (words: string) => void;
}

export function Picker({
  label,
  value,
  found,
  onChoose,
}: {
  label: string;
  value: string;
  found: Found;
  onChoose: (value: string) => void;
}) {
  const id = useId();
  const input = useRef<HTMLInputElement>(null);
  const [words, setWords] = useState<string | null>(null); // null: not being looked for
  const [at, setAt] = useState(0);
  const open = words !== null;
  const options = found.options;
  const close = () => {
    setWords(null);
    found.onFind('');
  };
  const type = (next: string) => {
    setWords(next);
    setAt(0);
    found.onFind(next);
  };
  const choose = (option: Option | undefined) => {
    if (!option) return;
    onChoose(option.value);
    close();
  };
  const press = (event: KeyboardEvent) => {
    if (event.key === 'Escape' && open) {
      event.preventDefault();
      close();
    } else if (event.key === 'Enter' && open) {
      event.preventDefault();
      choose(options[at]);
    } else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      if (!open) type('');
      else if (options.length > 0) setAt((at + (event.key === 'ArrowDown' ? 1 : options.length - 1)) % options.length);
    }
  };
  return (
    <div className="field picker">
      <Form.Label htmlFor={id}>{label}</Form.Label>
      <Form.Control
        ref={input}
        id={id}
        role="combobox"
        autoComplete="off"
        aria-expanded={open}
        aria-controls={`${id}-list`}
        aria-autocomplete="list"
        aria-activedescendant={open && options[at] ? `${id}-${at}` : undefined}
        data-value={value}
        placeholder={value === '' ? 'type a name or holder' : ''}
        value={words ?? found.shown}
        onChange={(event) => type(event.target.value)}
        onFocus={(event) => event.target.select()}
        onClick={() => !open && type('')}
        onBlur={close}
        onKeyDown={press}
      />
      {open && (
        <ul id={`${id}-list`} role="listbox" aria-label={label} className="picker-list">
          {options.map((option, n) => (
            <li
              key={option.value}
              id={`${id}-${n}`}
              role="option"
              aria-selected={n === at}
              className={option.value === value ? 'own' : undefined}
              onMouseDown={(event) => {
                event.preventDefault(); // the field keeps the focus
                choose(option);
              }}
            >
              {option.label}
            </li>
          ))}
          {options.length === 0 && (
            <li role="option" aria-selected={false} aria-disabled className="quiet">
              {found.busy ? 'Looking …' : 'Nothing fits.'}
            </li>
          )}
        </ul>
      )}
      {open && found.more > 0 && <div className="hint">{found.more} more fit: type on.</div>}
    </div>
  );
}
