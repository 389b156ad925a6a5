/** Import a list of devices: what each row would do is shown first; nothing is applied until it is confirmed. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate } from 'react-router';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { counted } from '../../ui/format';
import { Heading } from '../../ui/Screen';
import { Refused } from '../../ui/States';

type Line = Schemas['Line'];
const WORDS: Record<Line['verdict'], string> = { create: 'new', change: 'changes', same: 'stays as it is', refuse: 'refused' };
const COLUMNS =
  'id, name, holder, team, state, away_until, family, make, model, serial, asset_tag, os_version, storage_total_bytes, purchased_on, handed_over_on, note';

export function ImportScreen() {
  const navigate = useNavigate();
  const [content, setContent] = useState('');
  const [name, setName] = useState('');
  const preview = useAct((text: string) => client.POST('/api/devices/import/preview', { body: { content: text, digest: '' } }), []);
  const apply = useAct(
    (digest: string) => client.POST('/api/devices/import', { body: { content, digest } }),
    ['device', 'people'],
    () => void navigate('/devices'),
  );
  const previewed = preview.told;
  const willDo = (previewed?.counts['create'] ?? 0) + (previewed?.counts['change'] ?? 0);
  const error = preview.problem ?? apply.problem;
  return (
    <>
      <Heading title="Import a list of devices" />
      <p className="sub">
        CSV or JSON, as <a href="/api/devices/export?as=csv">the export</a> writes it. A row finds its device by id, serial, asset tag, or
        name and holder. Nothing is applied until you confirm.
      </p>
      <div className="sheet pad mb-3">
        <Refused problem={error} />
        <div className="row-end">
          <input
            type="file"
            accept=".csv,.json,text/csv,application/json"
            aria-label="File with devices"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (!file) return;
              setName(file.name);
              apply.clear();
              void file.text().then((text) => {
                setContent(text);
                preview.go(text);
              });
            }}
          />
          {previewed && (
            <Button disabled={willDo === 0 || apply.busy} onClick={() => apply.go(previewed.digest)}>
              {apply.busy ? 'Importing …' : `Import: create ${previewed.counts['create'] ?? 0}, change ${previewed.counts['change'] ?? 0}`}
            </Button>
          )}
          {apply.problem && (
            <Button
              variant="outline-primary"
              onClick={() => {
                apply.clear();
                preview.go(content);
              }}
            >
              Preview again
            </Button>
          )}
          <Link to="/devices">Cancel</Link>
        </div>
        <details className="guide">
          <summary>Columns</summary>
          <p className="mb-0">
            <code>{COLUMNS}</code>. Dates as 2026-03-31, sizes as whole bytes. A column that is left out stays as it is; an empty cell
            empties its field. A new device needs name, holder and family.
          </p>
        </details>
      </div>
      {preview.busy && <p role="status">Reading {name} …</p>}
      {previewed && (
        <section aria-live="polite">
          <h2>
            What {name} would do{' '}
            <small>
              {counted(previewed.counts['create'] ?? 0, 'new device')}, {previewed.counts['change'] ?? 0} changed,{' '}
              {previewed.counts['same'] ?? 0} as they are, {previewed.counts['refuse'] ?? 0} refused
            </small>
          </h2>
          {previewed.ignored_columns.length > 0 && <p className="said">Not read: {previewed.ignored_columns.join(', ')}.</p>}
          <Lines lines={previewed.lines} total={Object.values(previewed.counts).reduce((sum, count) => sum + count, 0)} />
        </section>
      )}
    </>
  );
}

function Lines({ lines, total }: { lines: Line[]; total: number }) {
  return (
    <div className="sheet scroll">
      <table className="rows">
        <thead>
          <tr>
            <th scope="col" className="num">
              Row
            </th>
            <th scope="col">Verdict</th>
            <th scope="col">Device</th>
            <th scope="col">What happens, and why</th>
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <tr key={line.number}>
              <td className="num">{line.number}</td>
              <td className={line.verdict === 'refuse' ? 'nowrap tone-late' : 'nowrap'}>{WORDS[line.verdict]}</td>
              <td>{line.name || <span className="quiet">no name</span>}</td>
              <td>
                {line.why}
                {line.verdict !== 'same' &&
                  line.changes
                    .filter((change) => change.after || change.before)
                    .map((change) => (
                      <span key={change.column} className="change">
                        {change.column.replaceAll('_', ' ')}: {change.before && <s>{change.before}</s>} {change.after || '(emptied)'}
                      </span>
                    ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {total > lines.length && (
        <p className="state-note">
          The first {lines.length} of {total} rows, refused ones first.
        </p>
      )}
    </div>
  );
}
