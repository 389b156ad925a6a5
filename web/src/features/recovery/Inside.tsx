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

function Kinds({ backup, chosen, onKind }: { backup: Backup; chosen: Kind | undefined; onKind: (kind: Kind) => void }) {
  return (
    <ul className="kind-list" aria-label="Kinds">
      {backup.kinds.map((one) => (
        <li key={one.kind}>
          <button type="button" aria-current={one.kind === chosen} onClick={() => onKind(one.kind as Kind)}>
            {one.label} <span className="quiet">{grouped(one.items)}</span>
          </button>
        </li>
      ))}
    </ul>
  );
}

interface InsideProps {
  backup: Backup;
  kind: Kind | undefined;
  onKind: (kind: Kind) => void;
  choosing?: Choosing;
}

export function Inside({ backup, kind, onKind, choosing }: InsideProps) {
  const [sought, setSought] = useState<{ kind?: Kind | undefined; words: string }>({ words: '' });
  const [page, setPage] = useState(1);
  const chosen = kind ?? (backup.kinds.find((one) => one.items > 0)?.kind as Kind | undefined);
  const words = sought.kind === chosen ? sought.words : ''; // words typed for another kind may come when that one is gone
  const inside = useInside(backup.id, chosen, words, page);
  const label = backup.kinds.find((one) => one.kind === chosen)?.label ?? '';
  return (
    <div className="sheet inside">
      <Kinds
        backup={backup}
        chosen={chosen}
        onKind={(next) => {
          setPage(1);
          setSought({ words: '' });
          onKind(next);
        }}
      />
      <section aria-label={label}>
        <div className="pad pb-1 row-end">
          <Find
            key={chosen}
            label={`Search in ${label.toLowerCase()}`}
            placeholder={`Search in ${label.toLowerCase()}`}
            value={words}
            onFind={(next) => {
              setSought({ kind: chosen, words: next });
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
          <Page backup={backup.id} kind={chosen} found={inside.data} page={page} onPage={setPage} choosing={choosing} />
        )}
      </section>
    </div>
  );
}

interface PageProps {
  backup: string;
  kind: Kind;
  found: Schemas['Inside'];
  page: number;
  onPage: (page: number) => void;
  choosing: Choosing | undefined;
}

function Page({ backup, kind, found, page, onPage, choosing }: PageProps) {
  return (
    <>
      {found.shape === 'picture' ? (
        <Photos backup={backup} kind={kind} items={found.items} choosing={choosing} />
      ) : (
        <Lines backup={backup} kind={kind} isFile={found.shape === 'file'} items={found.items} choosing={choosing} />
      )}
      {found.lost > 0 && (
        <p className="pad mb-0 tone-late">
          {counted(found.lost, 'item')} more cannot be named: a part of their list is damaged in the store.
        </p>
      )}
      <Pager page={page} pageSize={found.page_items} count={found.count} onPage={onPage} />
    </>
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
