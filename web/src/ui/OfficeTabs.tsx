/** The pages of the office, side by side. */
import { NavLink } from 'react-router';

export function OfficeTabs() {
  return (
    <nav className="leaves" aria-label="Pages of the office">
      <NavLink to="/office" end>
        Office
      </NavLink>
      <NavLink to="/office/days">Closed days</NavLink>
      <NavLink to="/office/records">Records</NavLink>
      <NavLink to="/office/telling">Who is told</NavLink>
    </nav>
  );
}
