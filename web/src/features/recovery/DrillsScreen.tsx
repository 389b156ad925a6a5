/** Drills: which there were, how each ended, and how the office drills by itself. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useSave } from '../../api/save';
import { useAddress } from '../../ui/address';
import { Choice } from '../../ui/forms/Field';
import { Form } from '../../ui/forms/Form';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES, SPEEDS } from '../../ui/forms/numbers';
import { Mark } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { came, DRILL_STATES, isActive, rulesSentence } from './drills';

type Drill = Schemas['Drill'];
type Rules = Schemas['DrillRules'];

const PAGE = 50;
const STATES = [
  { value: '', label: 'whatever came of it' },
  ...Object.entries(DRILL_STATES).map(([value, look]) => ({ value, label: look.word })),
];
const COLUMNS: readonly Column<Drill>[] = [
  { head: 'Asked', className: 'nowrap', cell: (drill) => <When at={drill.asked_at} /> },
  {
    head: 'Device',
    className: 'nowrap',
    cell: (drill) => (
      <>
        <Link className="title-link" to={`/drills/${drill.id}`}>
          {drill.device_name}
        </Link>{' '}
        <span className="quiet">{drill.holder}</span>
      </>
    ),
  },
  { head: 'From', cell: (drill) => drill.store_name },
  { head: 'Result', className: 'nowrap', cell: (drill) => <Mark look={DRILL_STATES[drill.state]} /> },
  { head: 'Came back', cell: (drill) => <CameBack drill={drill} /> },
  { head: 'By', className: 'nowrap', cell: (drill) => drill.by_name },
];

export function DrillsScreen() {
  const address = useAddress();
  const state = address.oneOf('state', Object.keys(DRILL_STATES) as Drill['state'][]) ?? ('' as const);
  const query = { state, device: address.get('device') || null, page: address.page, page_size: PAGE };
  const answer = useQuery({
    queryKey: key('drills', query),
    queryFn: () => told(client.GET('/api/drills', { params: { query } })),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <Heading title="Drills" />
      <p className="sub">
        A backup is restored into a scratch place, compared byte for byte, opened where that can be tried, and erased again.
      </p>
      <ByItself />
      <div className="filters">
        <Choice label="Result" compact value={state} onChange={(next) => address.set('state', next)} options={STATES} />
      </div>
      <div className="sheet scroll">
        {answer.isPending && <Loading what="drills" />}
        {answer.isLoadingError && <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />}
        {answer.data?.count === 0 && <Nothing filtered={state !== '' || query.device !== null} />}
        {answer.data && answer.data.count > 0 && <Table columns={COLUMNS} rows={answer.data.results} keyOf={(drill) => drill.id} />}
        {answer.data && <Pager page={address.page} pageSize={PAGE} count={answer.data.count} onPage={address.turn} />}
      </div>
    </>
  );
}

const Nothing = ({ filtered }: { filtered: boolean }) =>
  filtered ? (
    <Empty>No drill matches.</Empty>
  ) : (
    <Empty>No drill yet. The first begins by itself after six in the morning, or now on a device’s page.</Empty>
  );

function CameBack({ drill }: { drill: Drill }) {
  const { done_bytes: done = 0, total_bytes: total = 0 } = drill.progress;
  if (drill.state === 'running' && total > 0) return <progress value={done} max={total} aria-label={`Drill of ${drill.device_name}`} />;
  if (isActive(drill) || drill.state === 'stopped') return <span className="quiet">–</span>;
  return drill.cause ? <span className="quiet">{drill.cause}</span> : <>{came(drill)}</>;
}

function ByItself() {
  const may = useMay();
  const [changing, setChanging] = useState(false);
  const rules = useQuery({ queryKey: key('drills', 'rules'), queryFn: () => told(client.GET('/api/drills/rules')) });
  if (rules.isLoadingError) return <Failed problem={problemOf(rules.error)} onRetry={() => void rules.refetch()} />;
  if (!rules.data) return <Loading what="how the office drills" />;
  return (
    <section className="sheet pad mb-3">
      <div className="head mb-0">
        <p className="mb-0">{rulesSentence(rules.data)}</p>
        {may('set_up') && (
          <Button size="sm" variant="outline-primary" aria-expanded={changing} onClick={() => setChanging(!changing)}>
            Change
          </Button>
        )}
      </div>
      {changing && <ChangeRules first={rules.data} onDone={() => setChanging(false)} />}
    </section>
  );
}

function ChangeRules({ first, onDone }: { first: Rules; onDone: () => void }) {
  const [given, setGiven] = useState(first);
  const put = (changes: Partial<Rules>) => setGiven((before) => ({ ...before, ...changes }));
  const save = useSave((body: Schemas['DrillRulesRequest']) => client.PUT('/api/drills/rules', { body }), { ...first }, 'drill', {
    after: onDone,
  });
  return (
    <Form
      unsaved={JSON.stringify(given) !== JSON.stringify(first)}
      onSubmit={() => save.go(given)}
      problem={save.problem}
      onOver={save.over}
    >
      <Bounds given={given} put={put} />
      <NumberField
        label="A device needs a person when it was not proven for"
        value={given.wanted_days}
        onChange={(wanted_days) => put({ wanted_days })}
        least={1}
        most={1000}
        whole
        optional
        field="wanted_days"
        hint="Days; empty: it does not."
      />
      <Button type="submit" size="sm" disabled={save.busy}>
        Save
      </Button>
    </Form>
  );
}

function Bounds({ given, put }: { given: Rules; put: (changes: Partial<Rules>) => void }) {
  return (
    <>
      <NumberField
        label="Devices that have a turn each day"
        value={given.a_day}
        onChange={(a_day) => put({ a_day: a_day ?? 0 })}
        least={0}
        most={50}
        whole
        field="a_day"
      />
      <NumberField
        label="Minutes at the most"
        value={given.most_minutes}
        onChange={(minutes) => minutes !== null && put({ most_minutes: minutes })}
        least={1}
        most={600}
        whole
        field="most_minutes"
      />
      <NumberField
        label="Content at the most"
        value={given.most_bytes}
        onChange={(most_bytes) => most_bytes !== null && put({ most_bytes })}
        units={SIZES}
        least={16 * 1024 * 1024}
        field="most_bytes"
        hint="Of a larger backup items are drawn by chance, something of every kind."
      />
      <NumberField
        label="No faster than"
        value={given.limit_bytes_per_second}
        onChange={(limit_bytes_per_second) => put({ limit_bytes_per_second })}
        units={SPEEDS}
        least={16_384}
        optional
        field="limit_bytes_per_second"
        hint="Empty for no limit."
      />
    </>
  );
}
