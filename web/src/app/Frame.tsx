/** The frame of every screen: the rail of words, the ribbon of nights, and the screen itself. */
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { NavLink, Outlet, useLocation } from 'react-router';

import { client, told } from '../api/client';
import { useMe } from '../api/queries';
import { useToday } from '../features/oversight/queries';
import { Ribbon } from './Ribbon';

const ROOMS: [string, string][] = [
  ['/', 'Today'],
  ['/devices', 'Devices'],
  ['/plans', 'Plans'],
  ['/history', 'History'],
  ['/storage', 'Storage'],
  ['/restore', 'Restore'],
  ['/journal', 'Journal'],
  ['/office', 'Office'],
];

export function Frame() {
  const me = useMe();
  const today = useToday();
  const queries = useQueryClient();
  const signOut = useMutation({
    mutationFn: () => told(client.POST('/api/sign-out')),
    onSettled: () => {
      queries.clear();
      window.location.assign('/');
    },
  });
  const screen = useRef<HTMLElement>(null);
  const { pathname } = useLocation();
  const before = useRef(pathname);
  useEffect(() => {
    if (before.current === pathname) return;
    before.current = pathname;
    window.scrollTo(0, 0);
    screen.current?.querySelector<HTMLElement>('h1')?.focus();
  }, [pathname]);
  return (
    <div className="frame">
      <a className="skip" href="#screen">
        Skip to the screen
      </a>
      <nav className="rail" aria-label="Rooms">
        <div className="name">
          Old Attic<small>{me.data?.office?.name}</small>
        </div>
        <ul>
          {ROOMS.map(([to, word]) => (
            <li key={to}>
              <NavLink to={to} end={to === '/'}>
                {word}
                {to === '/' && today.data && today.data.causes.length > 0 && (
                  <b>
                    {today.data.causes.length}
                    <span className="visually-hidden"> need a person</span>
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
          <button type="button" onClick={() => signOut.mutate()}>
            Sign out
          </button>
        </div>
      </nav>
      <Ribbon />
      <main id="screen" ref={screen}>
        <Outlet />
      </main>
    </div>
  );
}
