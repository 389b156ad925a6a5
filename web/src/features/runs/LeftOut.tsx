/** What a run could not take: by reason, each thing by name; looked at and accepted here. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';
import { counted, grouped } from '../../ui/format';

type Run = Schemas['RunDetail'];
type Skipped = Schemas['Skipped'];
interface Asked {
  path: string;
  code: string;
  what: string;
}

const SHOWN = 50;

export function LeftOut({ run }: { run: Run }) {
  const may = useMay();
  const [asked, setAsked] = useState<Asked | null>(null);
  const mayAccept = may('run');
  const open = groups(run.skipped.filter((row) => row.counts));
  const settled = run.skipped.filter((row) => !row.counts);
  return (
    <>
      {open.map(([reason, rows]) => (
        <section key={reason} aria-label={`Could not be taken: ${reason}`}>
          <div className="head mb-1">
            <h2 className="mb-0">
              Could not be taken <small>{reason}</small>
            </h2>
            {mayAccept && rows[0]?.code && rows.length > 1 && (
              <Button
                size="sm"
                variant="outline-primary"
                onClick={() => setAsked({ path: '', code: rows[0]?.code ?? '', what: `everything of which is said that ${reason}` })}
              >
                Accept all {grouped(rows.length)} …
              </Button>
            )}
          </div>
          <Names rows={rows} onAccept={mayAccept ? (row) => setAsked({ path: row.name, code: '', what: row.name }) : undefined} />
        </section>
      ))}
      {settled.length > 0 && (
        <section aria-label="Left out and accepted">
          <h2>
            Left out <small>{counted(settled.length, 'thing')} that somebody accepted or that no link can carry</small>
          </h2>
          <Names rows={settled} withReason />
        </section>
      )}
      {run.skipped_count > run.skipped.length && (
        <p className="hint">
          The first {grouped(run.skipped.length)} of {grouped(run.skipped_count)} are named.
        </p>
      )}
      {asked && <AskAccept run={run} asked={asked} onDone={() => setAsked(null)} />}
    </>
  );
}

function Names({
  rows,
  withReason = false,
  onAccept,
}: {
  rows: Skipped[];
  withReason?: boolean;
  onAccept?: ((row: Skipped) => void) | undefined;
}) {
  const [all, setAll] = useState(false);
  const shown = all ? rows : rows.slice(0, SHOWN);
  return (
    <div className="sheet scroll">
      <table className="rows">
        <tbody>
          {shown.map((row, n) => (
            <tr key={`${row.name} ${n}`}>
              <td className="breaks">{row.name}</td>
              {withReason && <td className="quiet">{row.reason}</td>}
              {onAccept && row.code && (
                <td className="num nowrap">
                  <button
                    type="button"
                    className="linklike"
                    aria-label={`Accept that ${row.name} is left out`}
                    onClick={() => onAccept(row)}
                  >
                    accept
                  </button>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > shown.length && (
        <p className="pad mb-0">
          <button type="button" className="linklike" onClick={() => setAll(true)}>
            Show all {grouped(rows.length)}
          </button>
        </p>
      )}
    </div>
  );
}

function AskAccept({ run, asked, onDone }: { run: Run; asked: Asked; onDone: () => void }) {
  const [path, setPath] = useState(asked.path);
  const [alike, setAlike] = useState(false);
  const [why, setWhy] = useState('');
  const folder = asked.path.includes('/') ? asked.path.slice(0, asked.path.lastIndexOf('/')) : '';
  const accept = useAct(
    () => client.POST('/api/runs/{id}/accept', { params: { path: { id: run.id } }, body: { path, code: asked.code, alike, why } }),
    'omission',
    onDone,
  );
  const problem = accept.problem;
  return (
    <Dialog
      title="Accept that it is left out"
      action="Accept it"
      onSubmit={() => accept.go()}
      onCancel={onDone}
      problem={problem}
      busy={accept.busy}
    >
      <p>
        <strong className="breaks">{asked.what}</strong>
      </p>
      <p>It stays counted and named in every run, and no longer makes a backup a partial one. It can be taken back on the coverage page.</p>
      {folder && (
        <fieldset className="mb-2">
          <legend className="form-label">What</legend>
          <label className="check">
            <input type="radio" name="what" checked={path === asked.path} onChange={() => setPath(asked.path)} /> <span>this one only</span>
          </label>
          <label className="check">
            <input type="radio" name="what" checked={path === folder} onChange={() => setPath(folder)} />{' '}
            <span className="breaks">everything below {folder}</span>
          </label>
        </fieldset>
      )}
      <fieldset className="mb-2">
        <legend className="form-label">For</legend>
        <label className="check">
          <input type="radio" name="whom" checked={!alike} onChange={() => setAlike(false)} />{' '}
          <span>
            {run.device_name}, {run.holder} only
          </span>
        </label>
        <label className="check">
          <input type="radio" name="whom" checked={alike} onChange={() => setAlike(true)} />{' '}
          <span>all devices of its link, family and model</span>
        </label>
      </fieldset>
      <Field label="Why it may be missing" value={why} onChange={setWhy} field="why" maxLength={200} required />
    </Dialog>
  );
}

/** By reason, the most frequent first. */
function groups(rows: Skipped[]): [string, Skipped[]][] {
  const byReason = new Map<string, Skipped[]>();
  for (const row of rows) byReason.set(row.reason, [...(byReason.get(row.reason) ?? []), row]);
  return [...byReason].sort((one, other) => other[1].length - one[1].length);
}
