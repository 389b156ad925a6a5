/** Restore, three steps side by side: moment → things → where to. What stands in the way is always in view. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useSearchParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useDeviceBackups, useDeviceChoice } from '../../api/queries';
import { Form } from '../../ui/forms/Form';
import { Bytes } from '../../ui/Bytes';
import { counted, grouped, iec } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { Mark, STANDINGS } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Picker } from '../../ui/Picker';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Inside } from './Inside';
import { useBackup, type Backup, type Kind, type RestoreRequest } from './queries';
import { CARD_FORMS, CONFLICTS, LEAST_LOSS } from './words';
import { RestoreList } from './RestoreList';

interface Things {
  everything: boolean;
  kinds: string[];
  items: { kind: string; id: string }[];
}

const nothing: Things = { everything: true, kinds: [], items: [] };

export function RestoreScreen() {
  const [params, setParams] = useSearchParams();
  const device = params.get('device') ?? '';
  const backupId = params.get('backup') ?? '';
  const backup = useBackup(backupId);
  const [things, setThings] = useState(nothing);
  const choose = (next: Record<string, string>) => {
    setThings(nothing);
    setParams(next);
  };
  return (
    <>
      <Heading title="Restore" />
      <p className="sub">Choose the moment, the things, and where they go. Nothing is written until you press the button on the right.</p>
      <div className="thirds">
        <section>
          <h2>1 · The moment</h2>
          <Moment device={device} backup={backupId} onChoose={choose} />
        </section>
        <section>
          <h2>2 · The things</h2>
          {backupId === '' && <Empty>Choose a moment first.</Empty>}
          {backupId !== '' && backup.isPending && <Loading what="the backup" />}
          {backup.isLoadingError && <Failed problem={problemOf(backup.error)} />}
          {backup.data && <ThingsStep backup={backup.data} things={things} onThings={setThings} />}
        </section>
        <section>
          <h2>3 · Where to</h2>
          {backup.data ? <WhereTo key={backup.data.id} backup={backup.data} things={things} /> : <Empty>Then say where it goes.</Empty>}
        </section>
      </div>
      <RestoreList />
    </>
  );
}

function Moment({ device, backup, onChoose }: { device: string; backup: string; onChoose: (next: Record<string, string>) => void }) {
  const found = useDeviceChoice(device);
  const backups = useDeviceBackups(device);
  return (
    <div className="sheet">
      <div className="pad pb-0">
        <Picker label="Device" value={device} found={found} onChoose={(id) => onChoose({ device: id })} />
      </div>
      {device && backups.isPending && <Loading what="moments" />}
      {backups.isLoadingError && <Failed problem={problemOf(backups.error)} />}
      {backups.data?.length === 0 && <Empty>No backup of this device is left.</Empty>}
      <ul className="moments">
        {device &&
          backups.data?.map((one, n) => (
            <li key={one.id}>
              <button type="button" aria-pressed={one.id === backup} onClick={() => onChoose({ device, backup: one.id })}>
                <When at={one.finished_at} withAge /> {n === 0 && <strong>newest</strong>}
                {one.note ? <em className="d-block">{one.note}</em> : <br />}
                <span className="quiet">
                  {counted(one.items, 'item')}, {iec(one.size_bytes)}
                  {one.hold_reason && `, on hold: ${one.hold_reason}`}
                </span>
              </button>
            </li>
          ))}
      </ul>
    </div>
  );
}

function ThingsStep({ backup, things, onThings }: { backup: Backup; things: Things; onThings: (things: Things) => void }) {
  const [kind, setKind] = useState<Kind | undefined>();
  const [single, setSingle] = useState(false);
  const set = (change: Partial<Things>) => onThings({ ...things, everything: false, ...change });
  const toggleKind = (code: string) =>
    set({ kinds: things.kinds.includes(code) ? things.kinds.filter((one) => one !== code) : [...things.kinds, code] });
  const toggleItem = (of: string, id: string) => {
    const there = things.items.some((one) => one.kind === of && one.id === id);
    set({ items: there ? things.items.filter((one) => one.kind !== of || one.id !== id) : [...things.items, { kind: of, id }] });
  };
  return (
    <div className="stack">
      <div className="sheet pad">
        <label className="check">
          <input type="radio" name="what" checked={things.everything} onChange={() => onThings(nothing)} />
          <span>
            <strong>Everything</strong>: {counted(backup.items, 'item')}, <Bytes count={backup.size_bytes} />
          </span>
        </label>
        <label className="check">
          <input type="radio" name="what" checked={!things.everything} onChange={() => set({})} />
          <span>
            <strong>Only some</strong>: {counted(things.kinds.length, 'kind')} and {counted(things.items.length, 'single item')} chosen
          </span>
        </label>
        {!things.everything && (
          <div className="kinds-grid mt-2">
            {backup.kinds
              .filter((one) => one.items > 0)
              .map((one) => (
                <label key={one.kind} className="check">
                  <input type="checkbox" checked={things.kinds.includes(one.kind)} onChange={() => toggleKind(one.kind)} />
                  <span>
                    {one.label} <span className="quiet">{grouped(one.items)}</span>
                  </span>
                </label>
              ))}
          </div>
        )}
        {!things.everything && (
          <Button size="sm" variant="outline-primary" className="mt-2" aria-expanded={single} onClick={() => setSingle(!single)}>
            {single ? 'Close single items' : 'Choose single items'}
          </Button>
        )}
      </div>
      {!things.everything && single && (
        <Inside
          backup={backup}
          kind={kind}
          onKind={setKind}
          choosing={{ has: (of, id) => things.items.some((one) => one.kind === of && one.id === id), toggle: toggleItem }}
        />
      )}
    </div>
  );
}

type Cards = NonNullable<RestoreRequest['cards']>;

/** What an archive holds, and in which form contacts leave. */
function CardsOut({ cards, onCards }: { cards: Cards; onCards: (cards: Cards) => void }) {
  return (
    <div className="ps-4 pt-1">
      <Choice<Cards> label="Contacts as" value={cards} onChange={onCards} options={CARD_FORMS} field="cards" />
      <p className="hint">
        vCard, iCalendar, messages as a page to read, CSV and JSON, and the original files. It is not encrypted any more.
      </p>
    </div>
  );
}

function WhereTo({ backup, things }: { backup: Backup; things: Things }) {
  const navigate = useNavigate();
  const [target, setTarget] = useState<'device' | 'archive'>('device');
  const [device, setDevice] = useState(backup.device_id);
  const devices = useDeviceChoice(device, (row) => !['lost', 'retired'].includes(row.device_state));
  const [whenThere, setWhenThere] = useState(LEAST_LOSS);
  const [cards, setCards] = useState<Cards>('4.0');
  const body: RestoreRequest = {
    backup: backup.id,
    everything: things.everything,
    kinds: things.kinds as Kind[],
    items: things.items as { kind: Kind; id: string }[],
    target,
    device: target === 'device' ? device : null,
    when_there: whenThere,
    cards,
  };
  const chosen = things.everything || things.kinds.length > 0 || things.items.length > 0;
  const preflight = useQuery({
    queryKey: key('preflight', body),
    queryFn: () => told(client.POST('/api/preflight', { body })),
    enabled: target === 'device' && chosen,
    placeholderData: keepPreviousData,
    refetchInterval: 15_000,
    retry: false,
  });
  const ask = useAct(
    () => client.POST('/api/restores', { body }),
    'restore',
    (restore) => void navigate(`/restore/${restore.id}`),
  );
  const findings = target === 'device' ? (preflight.data ?? []) : [];
  const blocked = findings.some((finding) => finding.blocks);
  return (
    <Form className="sheet pad" onSubmit={() => ask.go()} problem={ask.problem}>
      <label className="check">
        <input type="radio" name="target" checked={target === 'device'} onChange={() => setTarget('device')} />
        <strong>A device</strong>
      </label>
      {target === 'device' && (
        <div className="ps-4 pt-1">
          <Picker label="Which device" value={device} found={devices} onChoose={setDevice} />
          <Choice label="What differs there already" value={whenThere} onChange={setWhenThere} options={CONFLICTS} />
        </div>
      )}
      <label className="check mb-2">
        <input type="radio" name="target" checked={target === 'archive'} onChange={() => setTarget('archive')} />
        <span>
          <strong>A ZIP archive</strong> of open formats
        </span>
      </label>
      <section aria-label="Before it starts" aria-live="polite" className="mb-2">
        {target === 'archive' && <CardsOut cards={cards} onCards={setCards} />}
        {target === 'device' && chosen && preflight.isPending && <p className="hint">Asking the device …</p>}
        {preflight.isLoadingError && <Failed problem={problemOf(preflight.error)} />}
        {target === 'device' && preflight.data?.length === 0 && <p className="hint">Nothing stands in the way.</p>}
        {findings.map((finding) => (
          <div className="finding" key={finding.code}>
            <Mark look={finding.blocks ? STANDINGS['late'] : STANDINGS['due_soon']} wordless />
            <p>
              <strong>{finding.says}</strong> {finding.remedy}
            </p>
          </div>
        ))}
      </section>
      <Button type="submit" disabled={!chosen || blocked || ask.busy || (target === 'device' && devices.shown === '')}>
        {target === 'device' ? `Write to ${devices.shown || 'the device'}` : 'Make the archive'}
      </Button>
      {!chosen && <p className="hint">Choose some things in the middle first.</p>}
      {blocked && (
        <p className="hint">
          Resolve what is marked, or <Link to="/devices">look at the devices</Link>.
        </p>
      )}
    </Form>
  );
}
