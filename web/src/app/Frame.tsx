/** The frame of every screen: the rail of words, the ribbon of nights, and the screen itself. On a narrow one both fold away. */
import { useState } from 'react';
import { NavLink, Outlet, useLocation } from 'react-router';

import { useAct } from '../api/act';
import { client } from '../api/client';
import { useMe } from '../api/queries';
import { useRibbon } from '../features/oversight/queries';
import { counted } from '../ui/format';
import { NothingLeaves } from './NothingLeaves';
import { OutOfDate } from './OutOfDate';
import { Ribbon } from './Ribbon';

const ROOMS: [string, string][] = [
  ['/', 'Today'],
  ['/devices', 'Devices'],
  ['/plans', 'Plans'],
  ['/leaving', 'Leaving'],
  ['/history', 'History'],
  ['/storage', 'Storage'],
  ['/restore', 'Restore'],
  ['/journal', 'Journal'],
  ['/office', 'Office'],
];

type Unfolded = 'rooms' | 'nights' | null;

export function Frame() {
  const { pathname, search } = useLocation();
  const [unfolded, setUnfolded] = useState<Unfolded>(null);
  const [at, setAt] = useState(pathname + search);
  if (at !== pathname + search) {
    // somewhere else now: what was unfolded to get there has done its work
    setAt(pathname + search);
    setUnfolded(null);
  }
  const fold = (which: Unfolded) => setUnfolded(unfolded === which ? null : which);
  return (
    <div className={unfolded ? `frame unfolded-${unfolded}` : 'frame'}>
      <a className="skip" href="#screen">
        Skip to the screen
      </a>
      <div className="fold-bar">
        <button type="button" aria-expanded={unfolded === 'rooms'} aria-controls="rooms" onClick={() => fold('rooms')}>
          Rooms
        </button>
        <span className="name">Old Attic</span>
        <button type="button" aria-expanded={unfolded === 'nights'} aria-controls="nights" onClick={() => fold('nights')}>
          Nights
        </button>
      </div>
      <Rail />
      <div id="nights" className="nights">
        <Ribbon />
      </div>
      <main id="screen">
        <OutOfDate />
        <NothingLeaves />
        <Outlet />
      </main>
    </div>
  );
}

function Rail() {
  const me = useMe();
  const needing = useRibbon().data?.needing ?? 0;
  const signOut = useAct(
    () => client.POST('/api/sign-out'),
    [],
    () => window.location.assign('/'),
  );
  return (
    <nav className="rail" id="rooms" aria-label="Rooms">
      <div className="name">
        Old Attic<small>{me.data?.office?.name}</small>
      </div>
      <ul>
        {ROOMS.map(([to, word]) => (
          <li key={to}>
            <NavLink to={to} end={to === '/'}>
              {word}
              {to === '/' && needing > 0 && (
                <b>
                  <span aria-hidden="true">{needing}</span>
                  <span className="visually-hidden">, {counted(needing, 'thing needs', 'things need')} a person</span>
                </b>
              )}
            </NavLink>
          </li>
        ))}
      </ul>
      <div className="foot">
        {me.data?.user?.shown_name}
        <br />
        {me.data?.user?.role}
        <br />
        <button type="button" onClick={() => signOut.go()}>
          Sign out
        </button>
      </div>
    </nav>
  );
}
