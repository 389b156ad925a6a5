/** Which part of a long list is shown, and the way to the others. The top of the new part comes into view, and is announced. */
import { useRef } from 'react';
import Button from 'react-bootstrap/Button';

import { grouped } from './format';

interface Props {
  page: number;
  pageSize: number;
  count: number;
  onPage: (page: number) => void;
  /** The server counts no further than one above it. */
  most?: number;
}

export function Pager({ page, pageSize, count, onPage, most = Infinity }: Props) {
  const bar = useRef<HTMLElement>(null);
  const pages = Math.max(1, Math.ceil(count / pageSize));
  if (pages === 1) return null;
  const turn = (next: number) => {
    onPage(next);
    const list = bar.current?.parentElement;
    if (!list) return;
    list.tabIndex = -1;
    list.focus({ preventScroll: true });
    list.scrollIntoView({ block: 'start' });
  };
  const last = count > most ? `more than ${grouped(most)}: filter for older ones` : grouped(count);
  return (
    <nav className="pager" aria-label="Pages" ref={bar}>
      <Button size="sm" variant="outline-primary" disabled={page <= 1} onClick={() => turn(page - 1)}>
        Earlier page
      </Button>
      <span role="status">
        {grouped((page - 1) * pageSize + 1)} to {grouped(Math.min(count, page * pageSize))} of {last}
      </span>
      <Button size="sm" variant="outline-primary" disabled={page >= pages} onClick={() => turn(page + 1)}>
        Next page
      </Button>
    </nav>
  );
}
