/** The heading of something that opens elsewhere on the screen than where it was asked for: it takes the focus, and so is read out. */
import { useEffect, useRef, type ReactNode } from 'react';

export function Opened({ children }: { children: ReactNode }) {
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => {
    heading.current?.focus({ preventScroll: true });
    heading.current?.scrollIntoView({ block: 'nearest' });
  }, []);
  return (
    <h2 tabIndex={-1} ref={heading}>
      {children}
    </h2>
  );
}
