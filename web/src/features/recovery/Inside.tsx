/** What is in a backup, kind by kind: searchable, and choosable where somebody wants to restore single items. */
import { useState } from 'react';

import { problemOf, type Schemas } from '../../api/client';
import { counted, grouped, iec } from '../../ui/format';
import { Find } from '../../ui/forms/Find';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading } from '../../ui/States';
import { itemAddress, useInside, type Backup, type Kind } from './queries';

type Shown = Schemas['Shown'];

export interface Choosing {
  has: (kind: string, id: string) => boolean;
  toggle: (kind: string, id: string) => void;
}

export function Inside({
  backup,
  kind,
  onKind,
  choosing,
}: {
  backup: Backup;
  kind: Kind | undefined;
  onKind: (kind: Kind) => void;
  choosing?: Choosing;
}) {
  const [words, setWords] = useState('');
  const [page, setPage] = useState(1);
  const chosen = kind ?? (backup.kinds.find((one) => one.items > 0)?.kind as Kind | undefined);
  const inside = useInside(backup.id, chosen, words, page);
  const label = backup.kinds.find((one) => one.kind === chosen)?.label ?? '';
  return (
    <div className="sheet inside">
      <ul className="kind-list" aria-label="Kinds">
        {backup.kinds.map((one) => (
          <li key={one.kind}>
            <button
              type="button"
              aria-current={one.kind === chosen}
              onClick={() => {
                setPage(1);
                setWords('');
                onKind(one.kind as Kind);
              }}
            >
              {one.label} <span className="quiet">{grouped(one.items)}</span>
            </button>
          </li>
        ))}
      </ul>
      <section aria-label={label}>
        <div className="pad pb-1 row-end">
          <Find
            key={chosen}
            label={`Search in ${label.toLowerCase()}`}
            placeholder={`Search in ${label.toLowerCase()}`}
            value={words}
            onFind={(next) => {
              setWords(next);
              setPage(1);
            }}
          />
          <span className="quiet" role="status">
            {inside.data ? counted(inside.data.count, 'item') : ''}
          </span>
        </div>
        {inside.isPending && <Loading what={label.toLowerCase()} />}
        {inside.isLoadingError && <Failed problem={problemOf(inside.error)} onRetry={() => void inside.refetch()} />}
        {inside.data?.count === 0 && <Empty>{words ? 'Nothing matches.' : 'The backup holds none of these.'}</Empty>}
        {inside.data && chosen && (
          <>
            {inside.data.shape === 'picture' ? (
              <Photos backup={backup.id} kind={chosen} items={inside.data.items} choosing={choosing} />
            ) : (
              <Lines backup={backup.id} kind={chosen} isFile={inside.data.shape === 'file'} items={inside.data.items} choosing={choosing} />
            )}
            {inside.data.lost > 0 && (
              <p className="pad mb-0 tone-late">
                {counted(inside.data.lost, 'item')} more cannot be named: a part of their list is damaged in the store.
              </p>
            )}
            <Pager page={page} pageSize={inside.data.page_items} count={inside.data.count} onPage={setPage} />
          </>
        )}
      </section>
    </div>
  );
}

interface ListProps {
  backup: string;
  kind: Kind;
  items: Shown[];
  choosing: Choosing | undefined;
}

function Choose({ kind, item, choosing }: { kind: Kind; item: Shown; choosing: Choosing | undefined }) {
  if (!choosing) return null;
  return (
    <input
      type="checkbox"
      aria-label={`Choose ${item.title}`}
      checked={choosing.has(kind, item.id)}
      onChange={() => choosing.toggle(kind, item.id)}
    />
  );
}

function Photos({ backup, kind, items, choosing }: ListProps) {
  return (
    <ul className="photos">
      {items.map((item) => (
        <li key={item.id}>
          {item.damaged ? (
            <span className="no-picture tone-late">damaged in the store</span>
          ) : (
            <a href={itemAddress(backup, kind, item.id)} target="_blank" rel="noreferrer">
              <Thumbnail address={itemAddress(backup, kind, item.id, 'thumbnail')} name={item.name} />
            </a>
          )}
          <Choose kind={kind} item={item} choosing={choosing} /> {item.name.split('/').at(-1)}
        </li>
      ))}
    </ul>
  );
}

/** A picture that the server cannot make small, or that is none, is told by its name. */
function Thumbnail({ address, name }: { address: string; name: string }) {
  const [failed, setFailed] = useState(false);
  if (failed) return <span className="no-picture quiet">no preview</span>;
  return <img src={address} alt={name} loading="lazy" onError={() => setFailed(true)} />;
}

function Lines({ backup, kind, items, choosing, isFile }: ListProps & { isFile: boolean }) {
  const [open, setOpen] = useState<string | null>(null);
  return (
    <ul className="items">
      {items.map((item) => (
        <li key={item.id} className="flex-wrap">
          <Choose kind={kind} item={item} choosing={choosing} />
          {isFile ? (
            item.damaged ? (
              <span className="title">{item.name}</span>
            ) : (
              <a className="title" href={itemAddress(backup, kind, item.id)} download>
                {item.name}
              </a>
            )
          ) : (
            <button
              type="button"
              className="btn btn-link p-0 title text-start"
              aria-expanded={open === item.id}
              onClick={() => setOpen(open === item.id ? null : item.id)}
            >
              {item.title}
            </button>
          )}
          <span className="detail">
            {item.damaged ? <span className="tone-late">damaged in the store </span> : item.detail}
            {isFile && (
              <>
                {iec(item.size_bytes)} · <When at={item.modified} />
              </>
            )}
          </span>
          {open === item.id && <Opened item={item} />}
        </li>
      ))}
    </ul>
  );
}

function Opened({ item }: { item: Shown }) {
  return (
    <div className="w-100">
      <dl className="facts my-1">
        {Object.entries(item.fields_told).map(([name, value]) => (
          <span key={name} style={{ display: 'contents' }}>
            <dt>{name}</dt>
            <dd>{value}</dd>
          </span>
        ))}
      </dl>
      {item.talk.length > 0 && (
        <ul className="talk">
          {item.talk.map((message, n) => (
            <li key={`${message['at'] ?? ''} ${n}`}>
              <strong>{message['from']}</strong> <span className="quiet">{message['at']?.slice(0, 16).replace('T', ' ')}</span>
              <div>{message['text']}</div>
              {message['attachments'] && <span className="quiet">with {message['attachments']}</span>}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
