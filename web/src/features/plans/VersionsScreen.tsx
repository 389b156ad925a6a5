/** The versions of a rule: when it said what, by whom; and two of them laid over the real history side by side. */
import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { Counts } from '../../parts/leaving/LetLeave';
import { RealHistory } from '../../parts/leaving/RealHistory';
import { useAddress } from '../../ui/address';
import { counted } from '../../ui/format';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { keepingOf, keepsSentence } from './words';

type Version = Schemas['Version'];

const PAGE = 50;

/** Of a plan, or of an exception by any of its versions. */
export function VersionsScreen() {
  const { plan = '', version = '' } = useParams();
  const address = useAddress();
  const query = { page: address.page, page_size: PAGE };
  const answer = useQuery({
    queryKey: key('plans', 'versions', plan, version, query),
    queryFn: () =>
      plan
        ? told(client.GET('/api/plans/{id}/rule-versions', { params: { path: { id: plan }, query } }))
        : told(client.GET('/api/rule-versions/{id}/beside', { params: { path: { id: Number(version) }, query } })),
  });
  if (answer.isPending) return <Loading what="versions" />;
  if (answer.isLoadingError) return <FailedScreen problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  const rows = answer.data.results;
  const later = Number(address.get('later')) || rows[0]?.id;
  const earlier = Number(address.get('earlier')) || rows[1]?.id;
  return (
    <>
      <Heading title={`Versions of the rule for ${rows[0]?.says ?? 'nothing'}`} />
      <p className="sub">
        What was kept when, and by whose word. <Link to={plan ? `/plans/${plan}` : '/plans/exceptions'}>Back to the rule</Link>
      </p>
      <div className="sheet scroll mb-3">
        <Table columns={columns(address, earlier, later)} rows={rows} keyOf={(row) => String(row.id)} />
        <Pager page={address.page} pageSize={PAGE} count={answer.data.count} onPage={address.turn} />
      </div>
      {earlier && later && earlier !== later ? (
        <Beside earlier={earlier} later={later} />
      ) : (
        <p className="state-note">
          {rows.length < 2 ? 'The rule never said anything else.' : 'Choose two versions to lay them side by side.'}
        </p>
      )}
    </>
  );
}

function columns(address: ReturnType<typeof useAddress>, earlier: number | undefined, later: number | undefined): Column<Version>[] {
  const pick = (name: string, at: number | undefined): Column<Version> => ({
    head: name,
    className: 'tick',
    cell: (row) => (
      <input
        type="radio"
        name={name}
        aria-label={`Version ${row.number} as the ${name.toLowerCase()} one`}
        checked={row.id === at}
        onChange={() => address.set(name.toLowerCase(), String(row.id))}
      />
    ),
  });
  return [
    pick('Earlier', earlier),
    pick('Later', later),
    { head: 'Version', number: true, cell: (row) => row.number },
    { head: 'Keeps', cell: (row) => (row.ended ? 'ended' : keepsSentence(keepingOf(row.rule))) },
    { head: 'Because', cell: (row) => row.why || '–' },
    { head: 'From', className: 'nowrap', cell: (row) => <When at={row.at} /> },
    { head: 'By', cell: (row) => row.by || '–' },
  ];
}

function Beside({ earlier, later }: { earlier: number; later: number }) {
  const asked = useQuery({
    queryKey: key('consequences', 'versions', earlier, later),
    queryFn: () => told(client.GET('/api/rule-versions/{id}/compare', { params: { path: { id: earlier }, query: { other: later } } })),
  });
  if (asked.isPending) return <Loading what="both on the real history" />;
  if (asked.isLoadingError) return <Failed problem={problemOf(asked.error)} onRetry={() => void asked.refetch()} />;
  const { one, other, only_one, only_other } = asked.data;
  return (
    <div className="halves" aria-live="polite">
      <Side version={one} against={other} told={only_one} />
      <Side version={other} against={one} told={only_other} />
    </div>
  );
}

/** What this version keeps of what lies there, and the other would let go. */
function Side({ version, against, told: found }: { version: Version; against: Version; told: Schemas['Consequences'] }) {
  const loses = found.devices.filter((one) => one.leaves > 0);
  return (
    <section className="sheet pad" aria-label={`Version ${version.number}`}>
      <h2>
        Version {version.number} <small>{version.ended ? 'ended' : keepsSentence(keepingOf(version.rule))}</small>
      </h2>
      <p>
        {found.leaves > 0
          ? `Keeps ${counted(found.leaves, 'backup')} that version ${against.number} would let go: the rings.`
          : `Keeps nothing that version ${against.number} would let go.`}
      </p>
      <Counts told={found} />
      {loses.length > 0 && <RealHistory devices={loses} more={0} />}
    </section>
  );
}
