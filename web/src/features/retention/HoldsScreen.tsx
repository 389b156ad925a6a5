/** What is on hold: why, by whom and until when; and holding all of a device, a holder, a team or some days at once. */
import { useQuery, keepPreviousData } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useAddress } from '../../ui/address';
import { counted, plainDay } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { Find } from '../../ui/forms/Find';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { HoldMany } from './HoldMany';
import { StillNeeded } from './StillNeeded';

type Held = Schemas['OnHold'];

const PAGE = 50;
const COLUMNS: readonly Column<Held>[] = [
  { head: 'Backup of', cell: (one) => <Of one={one} /> },
  { head: 'Taken', className: 'nowrap', cell: (one) => <When at={one.finished_at} /> },
  { head: 'Because', cell: (one) => one.hold_reason },
  { head: 'By', cell: (one) => one.by || '–' },
  { head: 'Until', className: 'nowrap', cell: (one) => (one.hold_until ? plainDay(one.hold_until) : 'it is released') },
];

const ENDS = [
  { value: '', label: 'all holds' },
  { value: 'none', label: 'without an end' },
  { value: 'unseen', label: 'to be looked at again' },
];

export function HoldsScreen() {
  const address = useAddress();
  const may = useMay();
  const [asking, setAsking] = useState(false);
  const end = address.oneOf('end', ['none', 'unseen']) ?? '';
  const query = {
    words: address.get('words') ?? '',
    without_end: end === 'none',
    review: end === 'unseen',
    page: address.page,
    page_size: PAGE,
  };
  const holds = useQuery({
    queryKey: key('leaving', 'holds', query),
    queryFn: () => told(client.GET('/api/holds', { params: { query } })),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <div className="head">
        <div>
          <Heading title="Holds" />
          <p className="sub mb-0">
            No rule and no removal by hand outweighs a hold. Open a backup to release it, and see first what follows.
          </p>
        </div>
        {may('keep') && <Button onClick={() => setAsking(true)}>Hold many …</Button>}
      </div>
      <div className="filters">
        <Find
          label="Find by device, holder or reason"
          value={query.words}
          onFind={(words) => address.set('words', words)}
          found={holds.data && counted(holds.data.count, 'hold')}
        />
        <Choice label="Which" compact value={end} onChange={(next) => address.set('end', next)} options={ENDS} />
        {end === 'unseen' && may('keep') && holds.data && holds.data.count > 0 && <StillNeeded holds={holds.data.results} />}
      </div>
      <div className="sheet scroll">
        {holds.isPending && <Loading what="holds" />}
        {holds.isLoadingError && <Failed problem={problemOf(holds.error)} onRetry={() => void holds.refetch()} />}
        {holds.data?.count === 0 && <Empty>Nothing is on hold.</Empty>}
        {holds.data && holds.data.count > 0 && <Table columns={COLUMNS} rows={holds.data.results} keyOf={(one) => one.id} />}
        <Pager page={address.page} pageSize={PAGE} count={holds.data?.count ?? 0} onPage={address.turn} />
      </div>
      {asking && <HoldMany onClose={() => setAsking(false)} />}
    </>
  );
}

function Of({ one }: { one: Held }) {
  return (
    <span>
      <Link className="title-link" to={`/backups/${one.id}`}>
        {one.device_name}
      </Link>
      <span className="quiet"> {one.holder}</span>
    </span>
  );
}
