/** Every run, newest first, filterable; the filters live in the address. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { Link, useNavigate } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { usePlans, useRuns, useRunTotals, useStores, useTeams, type RunsWanted } from '../../api/queries';
import { Removal } from '../../parts/Removal';
import { useAddress, type Address } from '../../ui/address';
import { DateField } from '../../ui/forms/DateField';
import { Find } from '../../ui/forms/Find';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES } from '../../ui/forms/numbers';
import { Bytes } from '../../ui/Bytes';
import { counted, grouped, iec, plainDay, spoken } from '../../ui/format';
import { Mark, RUN_STATES } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';

const PAGE = 50;

const STATES = ['waiting', 'running', 'complete', 'partial', 'interrupted', 'failed', 'refused', 'stopped', 'missed'] as const;

/** What the address asks for. */
function wantedRuns({ get, number, oneOf }: Address): Omit<RunsWanted, 'page' | 'page_size'> {
  return {
    device: get('device'),
    holder: number('holder'),
    team: number('team'),
    plan: get('plan'),
    store: get('store'),
    night: get('night'),
    first: get('first'),
    last: get('last'),
    state: oneOf('state', STATES),
    outcome: oneOf('outcome', ['came', 'did_not', 'active']),
    trigger: oneOf('trigger', ['schedule', 'by_hand']),
    cause: get('cause'),
    at_least_bytes: number('at_least_bytes'),
    words: get('words'),
  };
}

type Run = Schemas['Run'];

const COLUMNS: Column<Run>[] = [
  {
    head: 'When',
    className: 'nowrap',
    cell: (run) => (
      <Link className="title-link" to={`/history/${run.id}`}>
        <When at={run.finished_at ?? run.started_at ?? run.asked_at} />
        <span className="visually-hidden">
          : {run.device_name}, {run.holder}
        </span>
      </Link>
    ),
  },
  { head: 'Outcome', cell: (run) => <Mark look={RUN_STATES[run.state]} /> },
  {
    head: 'Device',
    className: 'nowrap',
    cell: (run) => (
      <>
        {run.device_name} <span className="quiet">{run.holder}</span>
      </>
    ),
  },
  { head: 'Store', className: 'nowrap', cell: (run) => run.store_name },
  { head: 'Size', number: true, cell: (run) => <Bytes count={run.size_bytes} /> },
  { head: 'New', number: true, cell: (run) => (run.backup_id ? <Bytes count={run.stored_bytes} /> : '–') },
  { head: 'Encrypted', cell: (run) => (run.encrypted === null ? '–' : run.encrypted ? 'yes' : 'no') },
  { head: 'Cause', cell: (run) => run.cause || (run.trigger === 'by_hand' ? <span className="quiet">by hand</span> : '') },
];

function Chosen({ run, chosen, onChoose }: { run: Run; chosen: string[]; onChoose: (id: string) => void }) {
  return (
    <input
      type="checkbox"
      aria-label={`Choose the run of ${run.device_name}, ${run.holder}, night ${run.night}`}
      checked={chosen.includes(run.id)}
      onChange={() => onChoose(run.id)}
    />
  );
}

export function HistoryScreen() {
  const address = useAddress();
  const { set, page, turn, clear } = address;
  const wanted = wantedRuns(address);
  const runs = useRuns({ ...wanted, page, page_size: PAGE });
  const totals = useRunTotals(wanted);
  const [chosen, setChosen] = useState<string[]>([]);
  const filtered = Object.values(wanted).some(Boolean);
  const query = new URLSearchParams(Object.entries(wanted).flatMap(([name, value]) => (value ? [[name, String(value)]] : []))).toString();
  const choose = (id: string) => setChosen(chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen, id]);
  return (
    <>
      <div className="head">
        <div>
          <Heading title="History" />
          <p className="sub mb-0">
            {wanted.night && (
              <>
                The night of {plainDay(wanted.night)}, <Link to={`/night?night=${wanted.night}`}>as a chart</Link>.{' '}
              </>
            )}
            {totals.data && totalsSentence(totals.data)}
          </p>
        </div>
        <div className="row-end">
          <WithChosen chosen={chosen} shown={runs.data?.results ?? []} onChosen={setChosen} />
          <a href={`/api/runs/export.csv?${query}`}>CSV</a>
          <a href={`/api/runs/export.json?${query}`}>JSON</a>
          <Link to="/report">The month on paper</Link>
        </div>
      </div>
      <Filters wanted={wanted} set={set} found={totals.data && counted(totals.data.runs, 'run')} onClear={filtered ? clear : null} />
      <div className="sheet scroll">
        {runs.isPending && <Loading what="the history" />}
        {runs.isLoadingError && <Failed problem={problemOf(runs.error)} onRetry={() => void runs.refetch()} />}
        {runs.data?.results.length === 0 && <Empty>{filtered ? 'No run matches these filters.' : 'No run yet.'}</Empty>}
        {runs.data && runs.data.results.length > 0 && (
          <Table
            columns={[
              { head: 'Choose', hidden: true, className: 'tick', cell: (run) => <Chosen run={run} chosen={chosen} onChoose={choose} /> },
              ...COLUMNS,
            ]}
            rows={runs.data.results}
            keyOf={(run) => run.id}
            rowClass={(run) => (chosen.includes(run.id) ? 'chosen' : 'linked')}
          />
        )}
        <Pager page={page} pageSize={PAGE} count={runs.data?.count ?? 0} most={10_000} onPage={turn} />
      </div>
    </>
  );
}

interface WithChosenProps {
  chosen: string[];
  shown: readonly Run[];
  onChosen: (chosen: string[]) => void;
}

/** Two are compared; the backups of any number are removed. */
function WithChosen({ chosen, shown, onChosen }: WithChosenProps) {
  const navigate = useNavigate();
  const may = useMay();
  const [removing, setRemoving] = useState(false);
  const there = shown.filter((run) => run.backup_id);
  const backups = there.filter((run) => chosen.includes(run.id)).flatMap((run) => run.backup_id ?? []);
  const all = there.map((run) => run.id);
  return (
    <>
      {chosen.length === 2 && (
        <Button size="sm" onClick={() => void navigate(`/history/${chosen[0] ?? ''}/with/${chosen[1] ?? ''}`)}>
          Compare both
        </Button>
      )}
      {may('remove') && backups.length > 0 && (
        <Button size="sm" variant="outline-danger" onClick={() => setRemoving(true)}>
          Remove {counted(backups.length, 'backup')} …
        </Button>
      )}
      {may('remove') && all.length > 0 && (
        <Button size="sm" variant="outline-primary" onClick={() => onChosen(chosen.length > 0 ? [] : all)}>
          {chosen.length > 0 ? 'Choose none' : 'Choose all shown'}
        </Button>
      )}
      {removing && (
        <Removal
          title={`Remove ${counted(backups.length, 'backup')}?`}
          chosen={{ backups }}
          onClose={() => {
            setRemoving(false);
            onChosen([]);
          }}
        />
      )}
    </>
  );
}

function totalsSentence(totals: Schemas['Totals']): string {
  if (totals.runs === 0) return '';
  const parts = [
    counted(totals.runs, 'run'),
    `${grouped(totals.came)} succeeded`,
    `${grouped(totals.did_not)} did not`,
    `${iec(totals.stored_bytes)} new`,
  ];
  if (totals.average_seconds !== null) parts.push(`${spoken(Math.max(1, totals.average_seconds))} each`);
  return parts.join(', ');
}

function Filters({
  wanted,
  set,
  found,
  onClear,
}: {
  wanted: RunsWanted;
  set: (name: string, value: string | undefined) => void;
  found: string | undefined;
  onClear: (() => void) | null;
}) {
  const stores = useStores();
  const plans = usePlans();
  const teams = useTeams();
  const causes = useQuery({ queryKey: key('runs', 'causes'), queryFn: () => told(client.GET('/api/runs/causes')) });
  const pick = (name: keyof RunsWanted, all: string, options: { value: string; label: string }[] | undefined) => (
    <Form.Select
      size="sm"
      aria-label={all.replace('every ', '')}
      value={String(wanted[name] ?? '')}
      onChange={(event) => set(name, event.target.value)}
    >
      <option value="">{all}</option>
      {options?.map((option) => (
        <option key={option.value} value={option.value}>
          {option.label}
        </option>
      ))}
    </Form.Select>
  );
  const states = Object.entries(RUN_STATES).map(([value, look]) => ({ value, label: look.word }));
  return (
    <div className="filters">
      <Find
        label="Find by device, holder or team"
        placeholder="Device, holder, team"
        value={wanted.words ?? ''}
        onFind={(next) => set('words', next)}
        found={found}
      />
      {pick('outcome', 'succeeded or not', [
        { value: 'came', label: 'succeeded' },
        { value: 'did_not', label: 'did not succeed' },
        { value: 'active', label: 'under way' },
      ])}
      {pick('state', 'every outcome', states)}
      {pick(
        'cause',
        'every cause',
        causes.data?.map((cause) => ({ value: cause.code, label: `${cause.says.slice(0, 46)} (${cause.runs})` })),
      )}
      {pick(
        'team',
        'every team',
        teams.data?.map((team) => ({ value: String(team.id), label: team.name })),
      )}
      {pick(
        'plan',
        'every plan',
        plans.data?.map((plan) => ({ value: plan.id, label: plan.name })),
      )}
      {pick(
        'store',
        'every store',
        stores.data?.map((store) => ({ value: store.id, label: store.name })),
      )}
      <DateField
        compact
        label="First night"
        placeholder="from"
        value={wanted.first ?? wanted.night ?? ''}
        onChange={(day) => set('first', day)}
      />
      <DateField
        compact
        label="Last night"
        placeholder="to"
        value={wanted.last ?? wanted.night ?? ''}
        onChange={(day) => set('last', day)}
      />
      <NumberField
        compact
        label="New in the store, at least"
        placeholder="new, at least"
        value={wanted.at_least_bytes ?? null}
        onChange={(bytes) => set('at_least_bytes', bytes ? String(bytes) : undefined)}
        units={SIZES}
        optional
      />
      {(wanted.device || wanted.holder) && <span className="quiet">of one {wanted.device ? 'device' : 'holder'}</span>}
      {onClear && (
        <button type="button" className="chip" onClick={onClear}>
          show all
        </button>
      )}
    </div>
  );
}
