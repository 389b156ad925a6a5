/**
 * A form: sends when everything in it can be read, puts what the server refused beside its field, and does not let what was
 * typed be lost by a slip.
 */
import { createContext, useContext, useEffect, useLayoutEffect, useMemo, useRef, useState, type ReactNode } from 'react';

import type { Problem } from '../problem';
import { Refused } from '../States';
import { Overtaken } from './Overtaken';
import { Unsaved } from './Unsaved';

interface Told {
  problem: Problem | null;
  /** Somebody has tried to send: fields that must be filled say so from now on. */
  tried: boolean;
}

const Within = createContext<Told>({ problem: null, tried: false });

export const useForm = (): Told => useContext(Within);

interface Props {
  problem?: Problem | null;
  onSubmit: () => void;
  /** Somebody else was faster: what saving in any case does. */
  onOver?: (() => void) | undefined;
  /** Whether something was typed that is not saved: leaving the screen asks first. */
  unsaved?: boolean;
  className?: string;
  label?: string;
  children: ReactNode;
}

export function Form({ problem = null, onSubmit, onOver, unsaved = false, className, label, children }: Props) {
  const form = useRef<HTMLFormElement>(null);
  const [tried, setTried] = useState(false);
  const [beside, setBeside] = useState<HTMLElement | null>(null);
  useLayoutEffect(() => {
    const fields = [...(form.current?.querySelectorAll<HTMLElement>('[data-field]') ?? [])];
    setBeside((problem?.field && fields.find((one) => one.dataset['field'] === problem.field)) || null);
  }, [problem]);
  // after the box on top is gone: it would have taken the focus with it
  useEffect(() => beside?.focus(), [beside, problem]);
  const within = useMemo(() => ({ problem, tried }), [problem, tried]);
  return (
    <form
      ref={form}
      noValidate
      className={className}
      aria-label={label}
      onSubmit={(event) => {
        event.preventDefault();
        event.stopPropagation();
        setTried(true);
        const wrong = form.current?.querySelector<HTMLElement>('[data-wrong]');
        if (wrong) wrong.focus();
        else onSubmit();
      }}
    >
      <Unsaved unsaved={unsaved} />
      {!beside && <Refused problem={problem} />}
      {onOver && <Overtaken onOver={onOver} />}
      <Within value={within}>{children}</Within>
    </form>
  );
}
