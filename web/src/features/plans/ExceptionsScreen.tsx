/** Where something else is kept than the plans say: of a store, a team, a device; and of devices that are retired or lost. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { When } from '../../ui/Office';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { ExceptionForm, type Edited } from './ExceptionForm';
import { keepingOf, keepsSentence, periodWords, type Exception } from './words';

const COLUMNS: readonly Column<Exception>[] = [
  { head: 'Of', cell: (one) => <strong>{one.says}</strong> },
  { head: 'Keeps', cell: (one) => <Keeps one={one} /> },
  { head: 'Because', cell: (one) => one.why || '–' },
  { head: 'Version', number: true, cell: (one) => <Link to={`/plans/exceptions/${one.id}/versions`}>{one.number}</Link> },
  { head: 'Since', className: 'nowrap', cell: (one) => <When at={one.at} /> },
  { head: 'By', cell: (one) => one.by },
];

export function ExceptionsScreen() {
  const answer = useQuery({ queryKey: key('exceptions'), queryFn: () => told(client.GET('/api/exceptions')) });
  const may = useMay();
  const [edited, setEdited] = useState<Edited | null>(null);
  const change: Column<Exception> = {
    head: 'Change',
    hidden: true,
    cell: (one) => (
      <Button size="sm" variant="outline-primary" aria-label={`Change the rule for ${one.says}`} onClick={() => setEdited({ of: one })}>
        Change
      </Button>
    ),
  };
  return (
    <>
      <div className="head">
        <div>
          <Heading title="Exceptions" />
          <p className="sub mb-0">
            What is kept otherwise than the plans say. The most particular wins: a device, its team, a store, the plan.
          </p>
        </div>
        {may('set_up') && !edited && <Button onClick={() => setEdited({ of: null })}>Make an exception</Button>}
      </div>
      {edited && <ExceptionForm key={edited.of?.id ?? 'new'} edited={edited} onClose={() => setEdited(null)} />}
      <div className="sheet scroll">
        {answer.isPending && <Loading what="exceptions" />}
        {answer.isLoadingError && <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />}
        {answer.data?.length === 0 && (
          <Empty>
            No exception: each store keeps what its plans say, and devices that are retired, lost or left behind keep all that they have.
          </Empty>
        )}
        {answer.data && answer.data.length > 0 && (
          <Table columns={may('set_up') ? [...COLUMNS, change] : COLUMNS} rows={answer.data} keyOf={(one) => String(one.id)} />
        )}
      </div>
    </>
  );
}

function Keeps({ one }: { one: Exception }) {
  const asks = one.rule.ask_after;
  return (
    <>
      {keepsSentence(keepingOf(one.rule))}
      {asks && <span className="quiet">; after {periodWords(asks.count, asks.unit)} somebody is asked</span>}
    </>
  );
}
