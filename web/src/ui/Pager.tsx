import Button from 'react-bootstrap/Button';

import { grouped } from './format';

/** Which part of a long list is shown, and the way to the others. */
export function Pager({ page, pageSize, count, onPage, most = Infinity }: { page: number; pageSize: number; count: number; onPage: (page: number) => void; most?: number }) {
  // `most`: the server counts no further than one above it
  const pages = Math.max(1, Math.ceil(count / pageSize));
  if (pages === 1) return null;
  return (
    <nav className="pager" aria-label="Pages">
      <Button size="sm" variant="outline-primary" disabled={page <= 1} onClick={() => onPage(page - 1)}>
        Earlier page
      </Button>
      <span>
        {grouped((page - 1) * pageSize + 1)} to {grouped(Math.min(count, page * pageSize))} of {count > most ? `more than ${grouped(most)}: filter for older ones` : grouped(count)}
      </span>
      <Button size="sm" variant="outline-primary" disabled={page >= pages} onClick={() => onPage(page + 1)}>
        Next page
      </Button>
    </nav>
  );
}
