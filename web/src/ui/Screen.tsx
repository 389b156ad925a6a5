/**
 * What every screen has: a heading, which takes the focus when the screen is come to, and a title for tabs, history and
 * bookmarks. The heading is there from the first moment, while its screen is still loading or has failed.
 */
import { createContext, useContext, useEffect, useRef, type ReactNode } from 'react';
import { NavigationType, useLocation, useNavigationType } from 'react-router';

import type { Problem } from './problem';
import { Failed } from './States';

const OfficeName = createContext('');
export const OfficeNamed = OfficeName.Provider;

/** Which address's heading has had the focus: a screen that is drawn anew does not take it again. */
let focused = '';

/** For tests: nothing has been come to yet. */
export const forgetFocus = (): void => {
  focused = '';
};

/** A screen that could not be filled: still a screen, with a heading and a way on. */
export function FailedScreen({ problem, onRetry }: { problem: Problem; onRetry?: () => void }) {
  return (
    <>
      <Heading title="This could not be shown" />
      <Failed problem={problem} {...(onRetry ? { onRetry } : {})} />
    </>
  );
}

export function Heading({ title, children }: { title: string; children?: ReactNode }) {
  const heading = useRef<HTMLHeadingElement>(null);
  const office = useContext(OfficeName);
  const { pathname } = useLocation();
  const how = useNavigationType();
  useEffect(() => {
    const first = focused === '';
    if (focused === pathname) return;
    focused = pathname;
    if (first) return; // the page itself has just been opened
    if (how !== NavigationType.Pop) window.scrollTo(0, 0);
    heading.current?.focus();
  }, [pathname, how]);
  return (
    <>
      <title>{[title, office, 'Old Attic'].filter(Boolean).join(' · ')}</title>
      <h1 tabIndex={-1} ref={heading}>
        {children ?? title}
      </h1>
    </>
  );
}
