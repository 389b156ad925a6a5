/** Choosing in a backup what is to be erased out of every moment and store. */
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';

import { problemOf } from '../../api/client';
import { ErasureForm } from '../../parts/ErasureForm';
import { counted } from '../../ui/format';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Empty, Loading } from '../../ui/States';
import { Inside } from './Inside';
import { useBackup, type Kind } from './queries';

interface Chosen {
  kind: string;
  id: string;
}

export function EraseScreen() {
  const { id = '' } = useParams();
  const navigate = useNavigate();
  const backup = useBackup(id);
  const [kind, setKind] = useState<Kind>();
  const [items, setItems] = useState<readonly Chosen[]>([]);
  if (backup.isPending) return <Loading what="the backup" />;
  if (backup.isLoadingError) return <FailedScreen problem={problemOf(backup.error)} onRetry={() => void backup.refetch()} />;
  const details = backup.data;
  const is = (of: string, one: string) => (other: Chosen) => other.kind === of && other.id === one;
  const choosing = {
    has: (of: string, one: string) => items.some(is(of, one)),
    toggle: (of: string, one: string) =>
      setItems(items.some(is(of, one)) ? items.filter((other) => !is(of, one)(other)) : [...items, { kind: of, id: one }]),
  };
  return (
    <>
      <Heading title={`Erase something of ${details.device_name}`} />
      <p className="sub">
        What is chosen goes out of every moment of <Link to={`/devices/${details.device_id}`}>{details.device_name}</Link> in every store,
        and no run takes it again. Everything else stays, under the dates it has.
      </p>
      <div className="halves">
        <section aria-label="What">
          <Inside backup={details} kind={kind} onKind={setKind} choosing={choosing} />
        </section>
        <section aria-label="From where, until when">
          <h2>{items.length === 0 ? 'Nothing is chosen' : counted(items.length, 'item')}</h2>
          {items.length === 0 ? (
            <Empty>Choose what is to go.</Empty>
          ) : (
            <ErasureForm wish={{ device: details.device_id, items }} onDone={(one) => void navigate(`/erasing/${one}`)} />
          )}
        </section>
      </div>
    </>
  );
}
