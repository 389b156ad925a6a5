/** Words to look for: kept as they are typed, looked for once the typing rests, and what was found is announced. */
import { useEffect, useRef, useState } from 'react';
import BootstrapForm from 'react-bootstrap/Form';

const REST = 300;

interface Props {
  label: string;
  placeholder?: string;
  /** What is being looked for, as the address or the screen has it. */
  value: string;
  onFind: (words: string) => void;
  /** How much was found, in words; announced when it changes. */
  found?: string | undefined;
}

export function Find({ label, placeholder = 'Find', value, onFind, found }: Props) {
  const [text, setText] = useState(value);
  const [known, setKnown] = useState(value);
  // what this field has asked for and has not seen come back: the answer may be slower than the typing
  const [asked, setAsked] = useState<readonly string[]>([]);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  if (value !== known) {
    setKnown(value);
    const at = asked.indexOf(value);
    if (at >= 0) setAsked(asked.slice(at + 1));
    else {
      // looked for by somebody else: a link, the way back
      setAsked([]);
      setText(value);
    }
  }
  useEffect(() => () => clearTimeout(timer.current), []);
  const find = (words: string) => {
    clearTimeout(timer.current);
    if (words === (asked.at(-1) ?? value)) return;
    setAsked([...asked, words]);
    onFind(words);
  };
  return (
    <>
      <BootstrapForm.Control
        size="sm"
        type="search"
        className="find"
        aria-label={label}
        placeholder={placeholder}
        value={text}
        onChange={(event) => {
          const typed = event.target.value;
          setText(typed);
          clearTimeout(timer.current);
          timer.current = setTimeout(() => find(typed.trim()), REST);
        }}
        onKeyDown={(event) => {
          if (event.key === 'Enter') {
            event.preventDefault();
            find(text.trim());
          } else if (event.key === 'Escape' && text) {
            event.preventDefault();
            setText('');
            find('');
          }
        }}
      />
      <span className="visually-hidden" role="status">
        {value && found ? `${found} found` : ''}
      </span>
    </>
  );
}
