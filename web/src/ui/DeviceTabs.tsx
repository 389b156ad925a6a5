/** The pages of one device, side by side. */
import { NavLink } from 'react-router';

export function DeviceTabs({ id }: { id: string }) {
  return (
    <nav className="leaves" aria-label="Pages of this device">
      <NavLink to={`/devices/${id}`} end>
        Device
      </NavLink>
      <NavLink to={`/devices/${id}/coverage`}>Coverage</NavLink>
      <NavLink to={`/devices/${id}/wipe`}>Safe to wipe?</NavLink>
      <NavLink to={`/devices/${id}/link`}>Link</NavLink>
    </nav>
  );
}
