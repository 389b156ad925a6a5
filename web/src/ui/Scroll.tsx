/** Something wider than its room: scrolls by itself, by keyboard too, and does not widen the page. */
import type { ReactNode } from 'react';

export function Scroll({ label, className = '', children }: { label: string; className?: string; children: ReactNode }) {
  return (
    // reachable by Tab so that arrow keys can move it (WCAG 2.1.1)
    // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
    <div className={`scroll ${className}`} role="region" aria-label={label} tabIndex={0}>
      {children}
    </div>
  );
}
