/** Restore, three steps side by side: moment → things → where to. What stands in the way is always in view. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useSearchParams } from 'react-router';

import { problemOf } from '../../api/client';
import { useDeviceBackups, useDeviceChoice } from '../../api/queries';
import { Bytes } from '../../ui/Bytes';
import { counted, grouped, iec } from '../../ui/format';
import { When } from '../../ui/Office';
import { Picker } from '../../ui/Picker';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Inside } from './Inside';
import { ExportsOnServer } from './ExportsOnServer';
import { useBackup, type Backup, type Kind, type Things } from './queries';
import { RestoreList } from './RestoreList';
import { WhereTo } from './WhereTo';

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
      <ExportsOnServer />
      <RestoreList />
    </>
  );
}

function Moment({ device, backup, onChoose }: { device: string; backup: string; onChoose: (next: Record<string, string>) => void }) {
  const choice = useDeviceChoice(device);
  const backups = useDeviceBackups(device);
  return (
    <div className="sheet">
      <div className="pad pb-0">
        <Picker label="Device" value={device} found={choice} onChoose={(id) => onChoose({ device: id })} />
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
