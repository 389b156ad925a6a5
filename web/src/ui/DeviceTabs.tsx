/** The pages of one device, side by side. */
import { NavLink } from 'react-router';

/** `inside`: whether this person may look inside its backups. */
export function DeviceTabs({ id, inside }: { id: string; inside: boolean }) {
  return (
    <nav className="leaves" aria-label="Pages of this device">
      <NavLink to={`/devices/${id}`} end>
        Device
      </NavLink>
      <NavLink to={`/devices/${id}/coverage`}>Coverage</NavLink>
      <NavLink to={`/devices/${id}/wipe`}>Safe to wipe?</NavLink>
      {inside && <NavLink to={`/devices/${id}/filling`}>What fills it</NavLink>}
      <NavLink to={`/devices/${id}/link`}>Link</NavLink>
    </nav>
  );
}
