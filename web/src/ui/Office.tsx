/** The office's time zone and the present moment, for everything that shows a time. */
import { createContext, useContext, useEffect, useState, type ReactNode } from 'react';

import { age, clock, day, exact } from './format';
import { formatter } from './formatter';

const CLOCK = formatter('en-GB', { timeStyle: 'medium' });

const Zone = createContext('UTC');
const Now = createContext(0);

export const useZone = () => useContext(Zone);
export const useNow = () => useContext(Now);

export function OfficeTime({ zone, children }: { zone: string; children: ReactNode }) {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 20_000);
    return () => clearInterval(timer);
  }, []);
  return (
    <Zone.Provider value={zone}>
      <Now.Provider value={now}>{children}</Now.Provider>
    </Zone.Provider>
  );
}

/** A moment: day and time in the office's zone, its age beside it, to the second on hover. */
export function When({ at, withAge = false }: { at: string; withAge?: boolean }) {
  const zone = useZone();
  const now = useNow();
  return (
    <time dateTime={at} title={exact(at, zone)}>
      {day(at, zone)} {clock(at, zone)}
      {withAge && <span className="quiet"> · {age(at, now)}</span>}
    </time>
  );
}

/** The time of day to the second, for logs; the whole moment on hover. */
export function TimeOfDay({ at }: { at: string }) {
  const zone = useZone();
  const shown = CLOCK(at, zone);
  return (
    <time dateTime={at} title={exact(at, zone)}>
      {shown}
    </time>
  );
}

/** Only hours and minutes; the whole moment on hover. */
export function TimeOnly({ at }: { at: string }) {
  const zone = useZone();
  return (
    <time dateTime={at} title={exact(at, zone)}>
      {clock(at, zone)}
    </time>
  );
}

/** Only how long ago; the moment on hover. */
export function Age({ at }: { at: string }) {
  const zone = useZone();
  const now = useNow();
  return (
    <time dateTime={at} title={exact(at, zone)}>
      {age(at, now)}
    </time>
  );
}
