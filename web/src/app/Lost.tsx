/** An address that leads nowhere, or a screen that broke. */
import Button from 'react-bootstrap/Button';
import { Link, useRouteError } from 'react-router';

import { Heading } from '../ui/Screen';

export function Lost() {
  const error = useRouteError();
  return (
    <>
      <Heading title={error ? 'This screen has broken' : 'There is nothing at this address'} />
      <p className="sub">{error ? 'Load it again; what is stored is not affected.' : 'It may have been removed.'}</p>
      {error !== undefined && <Button onClick={() => window.location.reload()}>Load it again</Button>} <Link to="/">Go to Today</Link>
    </>
  );
}
