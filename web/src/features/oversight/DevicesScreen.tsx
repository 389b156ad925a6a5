/** Every device: exceptions are rows, what is on time folds into one strip a team on the same ruler. The view lives in the address. */
import { useState } from 'react';
import { useNavigate } from 'react-router';
import Button from 'react-bootstrap/Button';

import { problemOf } from '../../api/client';
import { useMay } from '../../api/may';
import { useDevices } from '../../api/queries';
import { useAddress } from '../../ui/address';
import { RulerKey } from '../../ui/AgeRuler';
import { Find } from '../../ui/forms/Find';
import { counted, grouped } from '../../ui/format';
import { Mark, STANDINGS } from '../../ui/Mark';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { ChangeMany, LastChange } from './ChangeMany';
import { chosenColumns, DEVICE_ORDERS } from './columns';
import { DeviceFilters } from './DeviceFilters';
import { DeviceColumns, DeviceLine, TeamRows } from './DeviceTable';
import { byTeam } from './words';

const PAGE = 100;
const ORDER = ['late', 'never', 'due_soon', 'no_plan', 'on_time', 'paused', 'away', 'lost', 'retired'] as const;

export function DevicesScreen() {
  const { get, number, oneOf, set, page, turn } = useAddress();
  const may = useMay();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [choosing, setChoosing] = useState(false);
  const order = oneOf('order', DEVICE_ORDERS);
  const standing = oneOf('standing', ORDER);
  const words = get('words') ?? '';
  const folded = !order && !standing && !words && !choosing;
  const wanted = {
    standing,
    words: words || undefined,
    team: number('team'),
    plan: get('plan'),
    family: oneOf('family', ['orlo', 'brenta', 'other', 'folder']),
    link: oneOf('link', ['none', 'agent', 'folder', 'sftp']),
    holder: number('holder'),
    cause: get('cause'),
  };
  const devices = useDevices({ ...wanted, order: order ?? 'lateness', fold: folded || undefined, page, page_size: PAGE });
  const columns = chosenColumns(get('columns') ?? null);
  const all = Object.values(devices.data?.counts ?? {}).reduce((sum, count) => sum + count, 0);
  const toggle = (id: string) =>
    setChosen((before) => {
      const next = new Set(before);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  const choice = choosing ? { chosen, toggle } : undefined;
  const shown = devices.data?.results ?? [];
  const total = devices.data ? devices.data.teams.reduce((sum, team) => sum + team.devices, 0) : 0;
  return (
    <>
      <Head
        all={devices.data && all}
        found={devices.data && counted(total, 'device')}
        counts={devices.data?.counts ?? {}}
        standing={standing}
        words={words}
        set={set}
        mayChange={may('set_up')}
      />
      <DeviceFilters
        get={get}
        set={set}
        written={get('columns') ?? null}
        choosing={choosing}
        onChoosing={
          may('set_up')
            ? () => {
                setChoosing(!choosing);
                setChosen(new Set());
              }
            : undefined
        }
      />
      {wanted.cause && (
        <p className="said">
          Only {counted(total, 'device')}, all in need of a person for the same cause. Open one to see its steps.{' '}
          <button type="button" className="linklike" onClick={() => set('cause', undefined)}>
            Show every device
          </button>
        </p>
      )}
      {choosing && (
        <ChangeMany
          ids={[...chosen]}
          onAll={() => setChosen(new Set(shown.map((row) => row.id)))}
          onDone={() => {
            setChoosing(false);
            setChosen(new Set());
          }}
        />
      )}
      {may('set_up') && !choosing && <LastChange />}
      <div className="sheet scroll">
        {devices.isPending && <Loading what="devices" />}
        {devices.isLoadingError && <Failed problem={problemOf(devices.error)} onRetry={() => void devices.refetch()} />}
        {devices.data && total === 0 && (
          <Empty>
            {all === 0
              ? 'No device yet. Add the first one, or import a list of them: it takes a minute.'
              : 'No device matches. Show all, or search for something else.'}
          </Empty>
        )}
        {devices.data && total > 0 && (
          <table className="rows dense cards">
            <DeviceColumns columns={columns} choosing={choosing} />
            <tbody>
              {folded || order === 'team'
                ? byTeam(shown, devices.data.teams).map((group) => (
                    <TeamRows key={group.sum.id ?? 0} group={group} folded={folded} columns={columns} choice={choice} wanted={wanted} />
                  ))
                : shown.map((row) => (
                    <DeviceLine key={row.id} row={row} columns={columns} choice={choice} steps={wanted.cause !== undefined} />
                  ))}
            </tbody>
          </table>
        )}
        <Pager page={page} pageSize={PAGE} count={devices.data?.count ?? 0} onPage={turn} />
      </div>
      <RulerKey />
    </>
  );
}

function Head({
  all,
  counts,
  standing,
  words,
  found,
  set,
  mayChange,
}: {
  all: number | undefined;
  counts: Record<string, number>;
  standing: string | undefined;
  words: string;
  found: string | undefined;
  set: (name: string, value: string | undefined) => void;
  mayChange: boolean;
}) {
  const navigate = useNavigate();
  return (
    <div className="head mb-1">
      <Heading title="Devices" />
      <div className="row-end">
        <div className="chips" role="group" aria-label="Show only">
          <button
            type="button"
            className={standing ? 'chip' : 'chip on'}
            aria-pressed={!standing}
            onClick={() => set('standing', undefined)}
          >
            {all === undefined ? '' : `${grouped(all)} `}all
          </button>
          {ORDER.filter((name) => counts[name]).map((name) => (
            <button
              type="button"
              key={name}
              className={standing === name ? 'chip on' : 'chip'}
              aria-pressed={standing === name}
              onClick={() => set('standing', standing === name ? undefined : name)}
            >
              {counts[name]} <Mark look={STANDINGS[name]} />
            </button>
          ))}
        </div>
        <Find label="Find a device, holder, team, serial or asset tag" value={words} onFind={(next) => set('words', next)} found={found} />
        {mayChange && <Button onClick={() => void navigate('/devices/add')}>Add a device</Button>}
      </div>
    </div>
  );
}
