/** The editor of a plan; its right half answers at once what the draft means. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useNavigate, useParams } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { useDevices, useKinds, useMe, useStores } from '../../api/queries';
import { Confirm } from '../../ui/Confirm';
import { counted, monthName, plainDay } from '../../ui/format';
import { Choice, Field } from '../../ui/Field';
import { Age, TimeOnly, useNow, When } from '../../ui/Office';
import { PauseButton, pauseWords, type Pause } from '../../parts/Pausing';
import { Failed, Loading, Refused } from '../../ui/States';
import { Feed } from './Feed';
import { DaysThatCount, Schedule } from './Schedule';
import { What } from './What';
import { CLOCKS, emptyDraft, keptByMonth, toggled, type Draft, type Part } from './words';

export function PlanScreen() {
  const { id = 'new' } = useParams();
  const plan = useQuery({
    queryKey: ['plans', id],
    queryFn: () => told(client.GET('/api/plans/{id}', { params: { path: { id } } })),
    enabled: id !== 'new',
  });
  const kinds = useKinds();
  const stores = useStores();
  if (id !== 'new' && plan.isError) return <Failed problem={problemOf(plan.error)} onRetry={() => void plan.refetch()} />;
  if (kinds.isError) return <Failed problem={problemOf(kinds.error)} onRetry={() => void kinds.refetch()} />;
  if ((id !== 'new' && plan.isPending) || kinds.isPending || stores.isPending) return <Loading what="the plan" />;
  const found = plan.data;
  const draft: Draft = found
    ? { ...found, store: found.store_id, starts_at: found.starts_at.slice(0, 5), window_closes: found.window_closes.slice(0, 5) }
    : emptyDraft(
        kinds.data.map((kind) => kind.code),
        stores.data?.[0]?.id ?? null,
      );
  return <Editor key={id} id={id} first={draft} pause={found?.pause ?? null} hasFeed={found?.has_feed ?? false} />;
}

function Editor({ id, first, pause, hasFeed }: { id: string; first: Draft; pause: Pause | null; hasFeed: boolean }) {
  const [edited, setDraft] = useState(first);
  const stores = useStores();
  const draft = { ...edited, store: edited.store ?? stores.data?.[0]?.id ?? null };
  const navigate = useNavigate();
  const queries = useQueryClient();
  const me = useMe();
  const mayChange = me.data?.user?.role === 'administrator';
  const [removing, setRemoving] = useState(false);
  const after = async () => {
    await queries.invalidateQueries();
    void navigate('/plans');
  };
  const save = useMutation({
    mutationFn: () =>
      id === 'new'
        ? told(client.POST('/api/plans', { body: draft }))
        : told(client.PUT('/api/plans/{id}', { params: { path: { id } }, body: draft })),
    onSuccess: after,
  });
  const remove = useMutation({ mutationFn: () => told(client.DELETE('/api/plans/{id}', { params: { path: { id } } })), onSuccess: after });
  const problem = save.error ? problemOf(save.error) : remove.error ? problemOf(remove.error) : null;
  const set = <K extends keyof Draft>(name: K, value: Draft[K]) => setDraft({ ...draft, [name]: value });
  return (
    <>
      <div className="head">
        <div>
          <h1 tabIndex={-1}>{id === 'new' ? 'A new plan' : first.name}</h1>
          <p className="sub mb-0">{pause ? `It is ${pauseWords(pause)}.` : 'What the draft means stands on the right and changes while you edit.'}</p>
        </div>
        {id !== 'new' && me.data?.user?.role !== 'auditor' && <PauseButton what="this plan" plan={id} pause={pause} />}
      </div>
      <div className="halves">
        <form
          className="sheet pad"
          aria-label="Plan"
          onSubmit={(event) => {
            event.preventDefault();
            save.mutate();
          }}
        >
          <Refused problem={problem} />
          <fieldset disabled={!mayChange}>
            <Field label="Name" value={draft.name} onChange={(name) => set('name', name)} problem={problem} field="name" />
            <Schedule draft={draft} set={set} problem={problem} />
            <Where draft={draft} set={set} problem={problem} />
            <DaysThatCount draft={draft} set={set} />
            <Keeps draft={draft} set={set} problem={problem} />
            <What draft={draft} set={set} change={(next) => setDraft({ ...draft, ...next })} problem={problem} />
            <Devices draft={draft} set={set} />
            <div className="row-end">
              <Button type="submit" disabled={save.isPending}>
                Save the plan
              </Button>
              {id !== 'new' && (
                <Button variant="outline-danger" onClick={() => setRemoving(true)}>
                  Remove
                </Button>
              )}
            </div>
          </fieldset>
        </form>
        <div className="stack">
          <Answer draft={draft} />
          {id !== 'new' && mayChange && <Feed id={id} open={hasFeed} />}
        </div>
      </div>
      {removing && (
        <Confirm
          title={`Remove the plan ${first.name}?`}
          action="Remove the plan"
          onCancel={() => setRemoving(false)}
          onConfirm={() => {
            setRemoving(false);
            remove.mutate();
          }}
        >
          <p>Nothing runs by it any more. Backups that were made stay where they are. It works only once no device follows the plan.</p>
        </Confirm>
      )}
    </>
  );
}

function Where({ draft, set, problem }: Part) {
  const stores = useStores();
  const options = [{ value: '', label: 'choose a store' }, ...(stores.data ?? []).map((store) => ({ value: store.id, label: store.name }))];
  const hours = draft.promise_seconds / 3600;
  return (
    <div className="halves">
      <Choice label="Store" value={draft.store ?? ''} onChange={(store) => set('store', store || null)} options={options} problem={problem ?? null} field="store" />
      <Field
        label="Promise, in hours"
        type="number"
        min={1}
        value={String(hours)}
        onChange={(value) => set('promise_seconds', Math.round(Number(value) * 3600))}
        problem={problem ?? null}
        field="promise"
        hint="Largest age of the newest good backup."
      />
    </div>
  );
}

const COUNTS: ['keep_last' | 'keep_daily' | 'keep_weekly' | 'keep_monthly', string][] = [
  ['keep_last', 'Last'],
  ['keep_daily', 'Days'],
  ['keep_weekly', 'Weeks'],
  ['keep_monthly', 'Months'],
];

function Keeps({ draft, set, problem }: Part) {
  return (
    <fieldset className="field">
      <legend className="form-label fw-bold fs-6 mb-1">Keep the newest of each</legend>
      <div className="d-grid gap-2" style={{ gridTemplateColumns: 'repeat(4, minmax(0, 1fr))' }}>
        {COUNTS.map(([name, label]) => (
          <Field
            key={name}
            label={label}
            type="number"
            min={0}
            max={1000}
            value={String(draft[name])}
            onChange={(value) => set(name, Number(value))}
            problem={problem ?? null}
            field={name}
          />
        ))}
      </div>
    </fieldset>
  );
}

function Devices({ draft, set }: Part) {
  const [words, setWords] = useState('');
  const devices = useDevices({ order: 'name', words: words || undefined, page_size: 200 });
  const more = (devices.data?.count ?? 0) - (devices.data?.results.length ?? 0);
  return (
    <fieldset className="field">
      <legend className="form-label fw-bold fs-6 mb-1">
        Who follows it <span className="quiet fw-normal">{counted(draft.devices.length, 'device')}</span>
      </legend>
      <input className="form-control form-control-sm mb-1" type="search" aria-label="Find a device" placeholder="Find by name, holder, team or model" value={words} onChange={(event) => setWords(event.target.value)} />
      <div style={{ maxHeight: 190, overflowY: 'auto' }} className="border rounded p-2 bg-white">
        {devices.data?.results.length === 0 && <span className="quiet">{words ? 'No device matches.' : 'No device yet.'}</span>}
        {devices.data?.results.map((row) => (
          <label key={row.id} className="check">
            <input type="checkbox" checked={draft.devices.includes(row.id)} onChange={() => set('devices', toggled(draft.devices, row.id))} />
            <span>
              {row.name}, {row.holder}
              {row.plan_name && row.plan_name !== draft.name && <span className="quiet"> now follows {row.plan_name}</span>}
            </span>
          </label>
        ))}
        {more > 0 && <span className="quiet">{more} more: find them by a word.</span>}
      </div>
    </fieldset>
  );
}

function Answer({ draft }: { draft: Draft }) {
  const asked = useDeferredValue(draft);
  const now = useNow();
  const preview = useQuery({
    queryKey: ['preview', asked],
    queryFn: () => told(client.POST('/api/plans/preview', { body: { ...asked, name: asked.name || 'draft' } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <section aria-live="polite" aria-label="What the draft means" className="stack">
      {preview.isError ? (
        <Failed problem={problemOf(preview.error)} />
      ) : (
        <>
          <div className="sheet pad">
            <h2>{preview.data ? `Runs ${preview.data.sentence}` : 'The next runs'}</h2>
            {preview.data?.next_runs.length === 0 && <p className="mb-0">There is no further run.</p>}
            <ol className="mb-0 ps-3">
              {preview.data?.next_runs.map((run) => (
                <li key={run.at}>
                  <When at={run.at} /> to <TimeOnly at={run.closes} /> <span className="quiet">· <Age at={run.at} /></span>
                  {run.clocks && <div className="tone-soon">◑ {CLOCKS[run.clocks]}</div>}
                </li>
              ))}
            </ol>
            {preview.data && preview.data.skipped_days.length > 0 && (
              <p className="hint mb-0">Left out: {preview.data.skipped_days.slice(0, 8).map(plainDay).join(', ')}{preview.data.skipped_days.length > 8 ? ' …' : ''}</p>
            )}
            {preview.data?.shortfall && <p className="tone-late mt-2 mb-0">{preview.data.shortfall}</p>}
          </div>
          <div className="sheet pad">
            <h2>
              What is kept after a year <small>{counted(preview.data?.kept_days.length ?? 0, 'backup')} of each device</small>
            </h2>
            <KeptMonths kept={preview.data?.kept_days ?? []} now={now} />
            <p className="hint mb-0">A line is a month, a dot a day that still has a backup.</p>
          </div>
          <div className="sheet pad">
            <h2>Who is covered</h2>
            <p className="mb-0">
              {draft.devices.length === 0 ? 'No device follows it yet: choose them on the left.' : `${counted(draft.devices.length, 'device')}, ${counted(preview.data?.runs_a_week ?? 0, 'run')} a week each.`}
            </p>
          </div>
        </>
      )}
    </section>
  );
}

const ROW = 17;
const DAY = 12;

/** A line a month, a dot for each day that still has a backup. */
function KeptMonths({ kept, now }: { kept: string[]; now: number }) {
  const months = keptByMonth(kept, new Date(now));
  const x = (day: number) => 62 + day * DAY;
  return (
    <svg className="kept-months" viewBox={`0 0 ${x(32)} ${months.length * ROW + 18}`} role="img" aria-label={`${kept.length} days of the last year would have a backup`}>
      {[1, 8, 15, 22, 29].map((day) => (
        <g key={day}>
          <line className="tick" x1={x(day)} x2={x(day)} y1="0" y2={months.length * ROW} />
          <text x={x(day)} y={months.length * ROW + 13} textAnchor="middle">
            {day}
          </text>
        </g>
      ))}
      {months.map(({ month, days }, row) => (
        <g key={month}>
          <text x="0" y={row * ROW + 13}>
            {monthName(month)}
          </text>
          <line x1={x(1)} x2={x(31)} y1={row * ROW + 9} y2={row * ROW + 9} />
          {days.map((day) => (
            <circle key={day} cx={x(day)} cy={row * ROW + 9} r="4.2">
              <title>{`${month}-${String(day).padStart(2, '0')}`}</title>
            </circle>
          ))}
        </g>
      ))}
    </svg>
  );
}
