/** Said on every page while somebody wants it so. */
import { Link } from 'react-router';

import { useFreezes } from '../api/queries';

export function NothingLeaves() {
  const freezes = useFreezes();
  if (!freezes.data?.length) return null;
  return (
    <div className="said" role="status">
      <strong>Nothing leaves {freezes.data.map((one) => one.of).join(', ')}.</strong> {freezes.data[0]?.by}: {freezes.data[0]?.reason}.{' '}
      <Link to="/leaving">Look, or lift it</Link>
    </div>
  );
}
