/** Three copies, two media, one off site: for each device what it has, what is missing, and the one step that mends it. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useTeams } from '../../api/queries';
import { useAddress } from '../../ui/address';
import { counted } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { Find } from '../../ui/forms/Find';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { EVIDENCE, lackWords, LACKS, stepOf } from './threeTwoOne';

type Row = Schemas['ThreeTwoOneRow'];
type Told = Schemas['ThreeTwoOne'];

const PAGE = 50;
const COLUMNS: readonly Column<Row>[] = [
  { head: 'Device', className: 'nowrap', cell: (row) => <Of row={row} /> },
  { head: 'Copies', number: true, cell: (row) => row.copies },
  { head: 'Media', number: true, cell: (row) => row.media },
  { head: 'Off site', cell: (row) => (row.off_site ? 'yes' : 'no') },
  { head: 'Where', cell: (row) => row.places.map((place) => place.store).join(', ') || '–' },
  { head: 'Checked', className: 'nowrap', cell: (row) => (row.checked_at ? <When at={row.checked_at} /> : '–') },
  { head: 'Drilled', className: 'nowrap', cell: (row) => (row.drilled_at ? <When at={row.drilled_at} /> : '–') },
  { head: 'Missing', cell: (row) => <Missing row={row} /> },
];

export function ThreeTwoOneScreen() {
  const address = useAddress();
  const query = {
    team: Number(address.get('team')) || null,
    lacks:
      address.oneOf(
        'lacks',
        LACKS.map((one) => one.value),
      ) ?? '',
    words: address.get('words') ?? '',
    page: address.page,
    page_size: PAGE,
  };
  const answer = useQuery({
    queryKey: key('coverage', '3-2-1', query),
    queryFn: () => told(client.GET('/api/three-two-one', { params: { query } })),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <div className="head">
        <div>
          <Heading title="3-2-1" />
          <p className="sub mb-0">
            Three copies, what is on the device among them; on two media; one of them off site. And read again, since.
          </p>
        </div>
        <Button size="sm" variant="outline-primary" className="not-printed" onClick={() => window.print()}>
          Print
        </Button>
      </div>
      {answer.isPending && <Loading what="copies and media" />}
      {answer.isLoadingError && <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />}
      {answer.data && (
        <>
          <Sums told={answer.data} />
          <Filters address={address} query={query} found={counted(answer.data.count, 'device')} />
          <div className="sheet scroll">
            {answer.data.count === 0 && <Empty>No device matches.</Empty>}
            {answer.data.count > 0 && <Table columns={COLUMNS} rows={answer.data.results} keyOf={(row) => row.device_id} />}
            <Pager page={address.page} pageSize={PAGE} count={answer.data.count} onPage={address.turn} />
          </div>
        </>
      )}
    </>
  );
}

interface FiltersProps {
  address: ReturnType<typeof useAddress>;
  query: { team: number | null; lacks: string; words: string };
  found: string;
}

function Filters({ address, query, found }: FiltersProps) {
  const teams = useTeams();
  const options = [{ value: '', label: 'every team' }, ...(teams.data ?? []).map((one) => ({ value: String(one.id), label: one.name }))];
  return (
    <div className="filters not-printed">
      <Find label="Find by device or holder" value={query.words} onFind={(words) => address.set('words', words)} found={found} />
      <Choice label="Missing" compact value={query.lacks} onChange={(lacks) => address.set('lacks', lacks)} options={LACKS} />
      <Choice
        label="Team"
        compact
        value={query.team ? String(query.team) : ''}
        onChange={(team) => address.set('team', team)}
        options={options}
      />
    </div>
  );
}

/** The office and its teams; and what an auditor asks for. */
function Sums({ told: { teams, evidence } }: { told: Told }) {
  return (
    <div className="halves mb-3">
      <section className="sheet pad">
        <h2>By team</h2>
        <dl className="facts mb-0">
          {teams.map((one) => (
            <div key={one.team} className="contents">
              <dt>{one.team || 'no team'}</dt>
              <dd>
                {one.whole} of {counted(one.devices, 'device')} {one.whole === 1 ? 'lacks' : 'lack'} nothing
              </dd>
            </div>
          ))}
        </dl>
      </section>
      <section className="sheet pad">
        <h2>
          Evidence <small>CIS Controls version 8, control 11; titles from memory</small>
        </h2>
        <dl className="facts mb-0">
          {EVIDENCE.map(({ control, says }) => (
            <div key={control} className="contents">
              <dt>{control}</dt>
              <dd>{says(evidence)}</dd>
            </div>
          ))}
        </dl>
      </section>
    </div>
  );
}

function Of({ row }: { row: Row }) {
  return (
    <>
      <Link className="title-link" to={`/devices/${row.device_id}/coverage`}>
        {row.device_name}
      </Link>
      <span className="quiet"> {row.holder}</span>
    </>
  );
}

function Missing({ row }: { row: Row }) {
  const step = stepOf(row);
  if (row.lacks.length === 0) return <span className="tone-ok">nothing</span>;
  return (
    <>
      <span className="tone-late">{row.lacks.map(lackWords).join(', ')}</span>
      {step && (
        <>
          . <Link to={step.to}>{step.says}</Link>
        </>
      )}
    </>
  );
}
