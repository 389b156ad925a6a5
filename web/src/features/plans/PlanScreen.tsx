/** The editor of a plan; its right half answers at once what the draft means. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { memo, startTransition, useCallback, useRef, useState, type RefObject } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useDevices, useKinds, useStores } from '../../api/queries';
import { Find } from '../../ui/forms/Find';
import { Form } from '../../ui/forms/Form';
import { Confirm } from '../../ui/forms/Confirm';
import { dayIn } from '../../ui/forms/dates';
import { counted, monthName, plainDay } from '../../ui/format';
import { NumberField } from '../../ui/forms/NumberField';
import { SPANS } from '../../ui/forms/numbers';
import { SAVED } from '../../ui/forms/Unsaved';
import { Field } from '../../ui/forms/Field';
import { Age, TimeOnly, useNow, useZone, When } from '../../ui/Office';
import { Freed } from '../../parts/Freed';
import { PauseButton } from '../../parts/Pausing';
import { pauseWords, type Pause } from '../../parts/pauses';
import { useAddress } from '../../ui/address';
import { FailedScreen, Heading } from '../../ui/Screen';
import { useRested } from '../../ui/rested';
import { Failed, Loading } from '../../ui/States';
import { Feed } from './Feed';
import { DaysThatCount, Schedule } from './Schedule';
import { Joins } from './Joins';
import { Keeps } from './Keeps';
import { SaveAndLetLeave } from '../../parts/leaving/LetLeave';
import { useSeenSaving } from '../../parts/leaving/saving';
import { Consequences } from './Consequences';
import { Targets } from './Targets';
import { What } from './What';
import { CLOCKS, emptyDraft, keptByMonth, toggled, withLeftOut, withoutBlanks, type Draft, type Part } from './words';

export function PlanScreen() {
  const { id = 'new' } = useParams();
  const plan = useQuery({
    queryKey: key('plans', id),
    queryFn: () => told(client.GET('/api/plans/{id}', { params: { path: { id } } })),
    enabled: id !== 'new',
  });
  const kinds = useKinds();
  const stores = useStores();
  const address = useAddress();
  if (id !== 'new' && plan.isLoadingError) return <FailedScreen problem={problemOf(plan.error)} onRetry={() => void plan.refetch()} />;
  if (kinds.isLoadingError) return <FailedScreen problem={problemOf(kinds.error)} onRetry={() => void kinds.refetch()} />;
  if ((id !== 'new' && plan.isPending) || kinds.isPending || stores.isPending) return <Loading what="the plan" />;
  const details = plan.data;
  const draft: Draft = details
    ? {
        ...details,
        store: null,
        targets: details.targets.map((target) => ({ ...target })),
        starts_at: details.starts_at.slice(0, 5),
        window_closes: details.window_closes.slice(0, 5),
      }
    : emptyDraft(
        kinds.data.map((kind) => kind.code),
        stores.data?.[0]?.id ?? null,
      );
  const wish = { kind: address.get('leave_out_kind') ?? '', under: address.get('leave_out') ?? '' };
  return (
    <Editor
      key={id}
      id={id}
      first={draft}
      start={withLeftOut(draft, wish, kinds.data)}
      pause={details?.pause ?? null}
      hasFeed={details?.has_feed ?? false}
    />
  );
}

interface EditorProps {
  id: string;
  /** As it is saved. */
  first: Draft;
  /** What editing begins with: the same, or with what another screen proposes. */
  start: Draft;
  pause: Pause | null;
  hasFeed: boolean;
}

function Editor({ id, first, start, pause, hasFeed }: EditorProps) {
  const [draft, setDraft] = useState(start);
  const nameRef = useRef(first.name);
  const navigate = useNavigate();
  const may = useMay();
  const mayChange = may('set_up');
  const [removing, setRemoving] = useState(false);
  const after = () => void navigate('/plans', { state: SAVED });
  const save = useSaving(id, after);
  const remove = useAct(() => client.DELETE('/api/plans/{id}', { params: { path: { id } } }), 'plan', after);
  const problem = save.problem ?? remove.problem;
  // stable, so that a letter in the name does not draw the list of devices anew
  const set = useCallback(<K extends keyof Draft>(name: K, value: Draft[K]) => setDraft((before) => ({ ...before, [name]: value })), []);
  return (
    <>
      <div className="head">
        <div>
          <Heading title={id === 'new' ? 'A new plan' : first.name} />
          <p className="sub mb-0">
            {start !== first && <strong>{start.exclusions.at(-1)?.under} would be left out once you save. </strong>}
            {pause ? `It is ${pauseWords(pause)}.` : 'What the draft means stands on the right and changes while you edit.'}{' '}
            {id !== 'new' && <Link to={`/plans/${id}/versions`}>Versions of its rule</Link>}
          </p>
        </div>
        {id !== 'new' && may('pause') && <PauseButton what="this plan" plan={id} pause={pause} />}
      </div>
      <div className="halves">
        <Form
          className="sheet pad"
          label="Plan"
          unsaved={mayChange && JSON.stringify(draft) !== JSON.stringify(first)}
          onSubmit={() => save.go({ ...draft, name: nameRef.current })}
          problem={problem}
          onOver={
            problem?.code === 'state.changed_meanwhile'
              ? () => save.go({ ...draft, name: nameRef.current, revision: first.revision ?? null })
              : undefined
          }
        >
          <fieldset disabled={!mayChange}>
            <Name first={first.name} typedRef={nameRef} onRest={(text) => set('name', text)} />
            <Schedule draft={draft} set={set} problem={problem} />
            <Where draft={draft} set={set} />
            <DaysThatCount draft={draft} set={set} />
            <Keeps draft={draft} set={(name, value) => setDraft((before) => ({ ...before, [name]: value }))} />
            <What draft={draft} set={set} change={(next) => setDraft((before) => ({ ...before, ...next }))} />
            <Joins draft={draft} set={set} />
            <Devices chosen={draft.devices} own={id === 'new' ? '' : first.name} set={set} />
            <div className="row-end">
              <Button type="submit" disabled={save.busy}>
                Save the plan
              </Button>
              {id !== 'new' && (
                <Button variant="outline-danger" onClick={() => setRemoving(true)}>
                  Remove
                </Button>
              )}
            </div>
          </fieldset>
        </Form>
        <div className="stack">
          <WhatItMeans id={id} draft={draft} />
          {id !== 'new' && mayChange && <Feed id={id} open={hasFeed} />}
        </div>
      </div>
      {save.shown && <SaveAndLetLeave save={save} shown={save.shown} freed={<FreedBy id={id} draft={draft} />} />}
      {removing && <AskRemove name={first.name} onCancel={() => setRemoving(false)} onRemove={remove.go} />}
    </>
  );
}

function AskRemove({ name, onCancel, onRemove }: { name: string; onCancel: () => void; onRemove: () => void }) {
  const remove = () => {
    onCancel();
    onRemove();
  };
  return (
    <Confirm title={`Remove the plan ${name}?`} action="Remove the plan" onCancel={onCancel} onConfirm={remove}>
      <p>Nothing runs by it any more. Backups that were made stay where they are. It works only once no device follows the plan.</p>
    </Confirm>
  );
}

/** Asked without what is only begun. */
function WhatItMeans({ id, draft }: { id: string; draft: Draft }) {
  const meant = withoutBlanks(draft);
  return (
    <>
      <Consequences id={id} draft={meant} />
      <Answer draft={meant} />
    </>
  );
}

/** How many bytes would come back. */
function FreedBy({ id, draft }: { id: string; draft: Draft }) {
  const body = { ...draft, id: id === 'new' ? null : id };
  return <Freed of={body} ask={() => client.POST('/api/plans/consequences/bytes', { body })} />;
}

/** The name is drawn at once as it is typed; the rest of the editor follows when there is time. `typedRef` always has the newest. */
function Name({ first, typedRef, onRest }: { first: string; typedRef: RefObject<string>; onRest: (text: string) => void }) {
  const [text, setText] = useState(first);
  const type = (next: string) => {
    typedRef.current = next;
    setText(next);
    startTransition(() => onRest(next));
  };
  return <Field label="Name" value={text} onChange={type} field="name" />;
}

function Where({ draft, set }: Part) {
  return (
    <>
      <Targets draft={draft} set={set} />
      <NumberField
        label="Promise"
        value={draft.promise_seconds}
        onChange={(value) => set('promise_seconds', value ?? draft.promise_seconds)}
        units={SPANS}
        least={3600}
        field="promise_seconds"
        hint="Largest age of the newest good backup."
      />
      <NumberField
        label="Its own cloud backup succeeds within"
        value={draft.own_cloud_seconds ?? null}
        onChange={(value) => set('own_cloud_seconds', value)}
        units={SPANS}
        least={3600}
        most={366 * 86_400}
        optional
        field="own_cloud_seconds"
        hint="What the device says of its maker’s cloud. Empty: that is not watched. It never counts as a copy."
      />
    </>
  );
}

const Devices = memo(function Devices({ chosen, own, set }: { chosen: string[]; own: string; set: Part['set'] }) {
  const [words, setWords] = useState('');
  const devices = useDevices({ order: 'name', words: words || undefined, page_size: 200 });
  const more = (devices.data?.count ?? 0) - (devices.data?.results.length ?? 0);
  return (
    <fieldset className="field">
      <legend className="form-label fw-bold fs-6 mb-1">
        Who follows it <span className="quiet fw-normal">{counted(chosen.length, 'device')}</span>
      </legend>
      <Find
        label="Find a device"
        placeholder="Find by name, holder, team or model"
        value={words}
        onFind={setWords}
        found={devices.data && counted(devices.data.count, 'device')}
      />
      <div className="boxed">
        {devices.data?.results.length === 0 && <span className="quiet">{words ? 'No device matches.' : 'No device yet.'}</span>}
        {devices.data?.results.map((row) => (
          <label key={row.id} className="check">
            <input type="checkbox" checked={chosen.includes(row.id)} onChange={() => set('devices', toggled(chosen, row.id))} />
            <span>
              {row.name}, {row.holder}
              {row.plan_name && row.plan_name !== own && <span className="quiet"> now follows {row.plan_name}</span>}
            </span>
          </label>
        ))}
        {more > 0 && <span className="quiet">{more} more: find them by a word.</span>}
      </div>
    </fieldset>
  );
});

function Answer({ draft }: { draft: Draft }) {
  // what it is called changes nothing of what it means
  const asked = useRested(JSON.stringify({ ...draft, name: 'draft' }));
  const now = useNow();
  const preview = useQuery({
    queryKey: key('preview', asked),
    queryFn: ({ signal }) => told(client.POST('/api/plans/preview', { body: JSON.parse(asked) as Draft, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <section aria-live="polite" aria-label="What the draft means" className="stack">
      {preview.isLoadingError ? (
        <Failed problem={problemOf(preview.error)} />
      ) : (
        <>
          <div className="sheet pad">
            <h2>{preview.data ? `Runs ${preview.data.sentence}` : 'The next runs'}</h2>
            {preview.data?.next_runs.length === 0 && <p className="mb-0">There is no further run.</p>}
            <ol className="mb-0 ps-3">
              {preview.data?.next_runs.map((run) => (
                <li key={run.at}>
                  <When at={run.at} /> to <TimeOnly at={run.closes} />{' '}
                  <span className="quiet">
                    · <Age at={run.at} />
                  </span>
                  {run.clocks && <div className="tone-soon">◑ {CLOCKS[run.clocks]}</div>}
                </li>
              ))}
            </ol>
            {preview.data && preview.data.skipped_days.length > 0 && (
              <p className="hint mb-0">
                Left out: {preview.data.skipped_days.slice(0, 8).map(plainDay).join(', ')}
                {preview.data.skipped_days.length > 8 ? ' …' : ''}
              </p>
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
              {draft.devices.length === 0
                ? 'No device follows it yet: choose them on the left.'
                : `${counted(draft.devices.length, 'device')}, ${counted(preview.data?.runs_a_week ?? 0, 'run')} a week each.`}
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
  const zone = useZone();
  const months = keptByMonth(kept, dayIn(now, zone));
  const x = (day: number) => 62 + day * DAY;
  return (
    <svg
      className="kept-months"
      viewBox={`0 0 ${x(32)} ${months.length * ROW + 18}`}
      role="img"
      aria-label={`${kept.length} days of the last year would have a backup`}
    >
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

function useSaving(id: string, after: () => void) {
  const path = { params: { path: { id } } };
  return useSeenSaving(
    (draft: Draft) => client.POST('/api/plans/consequences', { body: { ...draft, id: id === 'new' ? null : id } }),
    (body) => (id === 'new' ? client.POST('/api/plans', { body }) : client.PUT('/api/plans/{id}', { ...path, body })),
    'plan',
    after,
  );
}
