/** What is on record of a run: its facts, and what happened, line by line. */
import type { Schemas } from '../../api/client';
import { Bytes } from '../../ui/Bytes';
import { counted, iec, plainDay } from '../../ui/format';
import { occasionWord } from '../../ui/occasions';
import { TimeOfDay, When } from '../../ui/Office';

type Run = Schemas['RunDetail'];

const whereTo = (run: Run) => (
  <>
    {run.store_name}
    {run.fell_over_from && <div className="hint">{run.fell_over_from} could not take it; a copy is owed to it.</div>}
  </>
);

export function Facts({ run }: { run: Run }) {
  const good = run.state === 'complete' || run.state === 'partial';
  return (
    <section>
      <h2>Facts</h2>
      <dl className="facts sheet pad">
        <dt>Store</dt>
        <dd>{whereTo(run)}</dd>
        <dt>Started</dt>
        <dd>{run.started_at ? <When at={run.started_at} /> : 'not yet'}</dd>
        <dt>Finished</dt>
        <dd>{run.finished_at ? <When at={run.finished_at} /> : '–'}</dd>
        <dt>Read</dt>
        <dd>
          <Bytes count={good ? run.read_bytes : (run.progress.read_bytes ?? 0)} />
        </dd>
        <dt>New in the store</dt>
        <dd>
          <Bytes count={good ? run.stored_bytes : (run.progress.stored_bytes ?? 0)} />
        </dd>
        <dt>Encrypted</dt>
        <dd>{run.encrypted === null ? '–' : run.encrypted ? 'yes' : 'no'}</dd>
        <dt>Attempts</dt>
        <dd>{run.attempts}</dd>
        {run.occasion && (
          <>
            <dt>Occasion</dt>
            <dd>
              {occasionWord(run.occasion)}: its backup is on hold{' '}
              {run.hold_until ? `until ${plainDay(run.hold_until)}` : 'until it is released'}
            </dd>
          </>
        )}
        {run.left_out.length > 0 && (
          <>
            <dt>Left out on purpose</dt>
            <dd>
              {run.left_out.map((entry) => (
                <div key={entry.kind + entry.reason}>
                  {counted(entry.items, 'item')} ({iec(entry.size_bytes)}), {entry.reason}
                </div>
              ))}
            </dd>
          </>
        )}
        {run.note && (
          <>
            <dt>Note</dt>
            <dd>{run.note}</dd>
          </>
        )}
      </dl>
    </section>
  );
}

export function Happened({ run }: { run: Run }) {
  return (
    <section>
      <h2>What happened</h2>
      <ul className="log sheet pad">
        {run.log.map((line, n) => (
          <li key={`${line.at} ${n}`}>
            <TimeOfDay at={line.at} />
            <span>{line.says}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
