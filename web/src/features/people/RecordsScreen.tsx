/** How long records are kept that are no backups; what would go by another time is counted before it is saved. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useSave } from '../../api/save';
import { Form } from '../../ui/forms/Form';
import { counted, grouped } from '../../ui/format';
import { NumberField } from '../../ui/forms/NumberField';
import { OfficeTabs } from '../../ui/OfficeTabs';
import { useRested } from '../../ui/rested';
import { Heading } from '../../ui/Screen';
import { Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';

type Age = Schemas['Age'];
type Days = Record<string, number>;

export function RecordsScreen() {
  const ages = useQuery({ queryKey: key('ages'), queryFn: () => told(client.GET('/api/office/ages')) });
  return (
    <>
      <Heading title="Records">Office</Heading>
      <p className="sub">
        How long is remembered what happened. What is older goes each night, unless nothing leaves the office. Backups have rules of their
        own, and the report of a month stays for ever.
      </p>
      <OfficeTabs />
      {ages.isPending && <Loading what="records" />}
      {ages.isLoadingError && <Failed problem={problemOf(ages.error)} onRetry={() => void ages.refetch()} />}
      {ages.data && <Ages first={ages.data} />}
    </>
  );
}

const daysOf = (ages: readonly Age[]) => Object.fromEntries(ages.map((age) => [age.code, age.days]));

function Ages({ first }: { first: readonly Age[] }) {
  const may = useMay();
  const [days, setDays] = useState<Days>({});
  const shown = useShown(days);
  const save = useSave(
    (body: { ages: Days }) => client.PUT('/api/office/ages', { body }),
    () => daysOf(first),
    'ages',
    {
      again: daysOf,
      after: () => setDays({}),
    },
  );
  const going = new Map((shown ?? first).map((age) => [age.code, age.going]));
  const changed = Object.keys(days).length > 0;
  const columns: readonly Column<Age>[] = [
    { head: 'Record', cell: (age) => <Named age={age} /> },
    { head: 'Days', cell: (age) => <KeptFor age={age} days={days} set={setDays} disabled={!may('set_up')} /> },
    { head: 'Older now', number: true, cell: (age) => grouped(going.get(age.code) ?? 0) },
  ];
  const sum = [...going.values()].reduce((all, one) => all + one, 0);
  return (
    <Form unsaved={changed} onSubmit={() => save.go({ ages: days })} problem={save.problem} onOver={save.over}>
      <div className="sheet scroll">
        <Table columns={columns} rows={first} keyOf={(age) => age.code} />
      </div>
      {may('set_up') && (
        <div className="row-end mt-3">
          <span className="quiet" role="status">
            {sum > 0 ? `${counted(sum, 'record goes', 'records go')} the next night${changed ? ' if this is saved' : ''}.` : ''}
          </span>
          <Button type="submit" disabled={!changed || save.busy}>
            Save
          </Button>
        </div>
      )}
    </Form>
  );
}

/** What would go with these times, once somebody stops typing. */
function useShown(days: Days): readonly Age[] | undefined {
  const rested = JSON.parse(useRested(JSON.stringify(days))) as Days;
  const shown = useQuery({
    queryKey: key('ages', 'preview', rested),
    queryFn: () => told(client.POST('/api/office/ages/preview', { body: { ages: rested } })),
    enabled: Object.keys(rested).length > 0,
    retry: false,
  });
  return Object.keys(rested).length > 0 ? shown.data : undefined;
}

function Named({ age }: { age: Age }) {
  return (
    <>
      <strong>{age.label}</strong> <span className="quiet">{age.says}</span>
    </>
  );
}

interface KeptForProps {
  age: Age;
  days: Days;
  set: (days: Days) => void;
  disabled: boolean;
}

function KeptFor({ age, days, set, disabled }: KeptForProps) {
  return (
    <NumberField
      label={`Days for ${age.label.toLowerCase()}`}
      compact
      value={days[age.code] ?? age.days}
      onChange={(value) => set(value === null ? days : { ...days, [age.code]: value })}
      least={age.least}
      most={36_500}
      whole
      field={age.code}
      disabled={disabled}
    />
  );
}
