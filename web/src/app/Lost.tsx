import { Link, useRouteError } from 'react-router';

/** An address that leads nowhere, or a screen that broke. */
export function Lost() {
  const error = useRouteError();
  return (
    <div className="pad">
      <h1 tabIndex={-1}>{error ? 'This screen has broken' : 'There is nothing at this address'}</h1>
      <p className="sub">{error ? 'Load it again; what is stored is not affected.' : 'It may have been removed.'}</p>
      <Link to="/">Go to Today</Link>
    </div>
  );
}
