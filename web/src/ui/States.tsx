/** The states of a screen that is not filled: loading, failed, empty. */
import { useEffect, useRef, useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';

import type { Problem } from './problem';

/** Shown only once loading has taken a moment, so that quick answers do not flicker. */
export function Loading({ what }: { what: string }) {
  const [shown, setShown] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setShown(true), 350);
    return () => clearTimeout(timer);
  }, []);
  return (
    <p className="state-note" role="status">
      {shown ? `Loading ${what} …` : '\u00a0'}
    </p>
  );
}

export function Failed({ problem, onRetry }: { problem: Problem; onRetry?: () => void }) {
  return (
    <div className="state-note failed" role="alert">
      <strong>{problem.title}</strong> <span>{problem.remedy}</span>
      {onRetry && (
        <Button size="sm" variant="outline-primary" onClick={onRetry} className="ms-2">
          Try again
        </Button>
      )}
    </div>
  );
}

export function Empty({ children }: { children: ReactNode }) {
  return <p className="state-note">{children}</p>;
}

/** A problem with what was entered; takes the focus so that it is read out. */
export function Refused({ problem }: { problem: Problem | null }) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (problem) box.current?.focus();
  }, [problem]);
  if (!problem) return null;
  return (
    <div className="refused" role="alert" tabIndex={-1} ref={box}>
      <strong>{problem.title}</strong> {problem.remedy}
    </div>
  );
}
