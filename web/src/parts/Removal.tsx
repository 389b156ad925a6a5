/** Removes backups by hand: first what will be lost, then a reason, and a word where it is more than usual. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { useAct } from '../api/act';
import { client, problemOf, told, type Schemas } from '../api/client';
import { key } from '../api/keys';
import { useStores } from '../api/queries';
import { counted } from '../ui/format';
import { Dialog } from '../ui/forms/Dialog';
import { Choice, Field } from '../ui/forms/Field';
import { When } from '../ui/Office';
import { Failed, Loading } from '../ui/States';
import { Freed } from './Freed';

/** Backups by their ids, or all of a device. */
export type Chosen = { backups: readonly string[] } | { device: string };
type Shown = Schemas['Removal'];

export function Removal({ title, chosen, onClose }: { title: string; chosen: Chosen; onClose: () => void }) {
  const [store, setStore] = useState('');
  const [why, setWhy] = useState('');
  const [word, setWord] = useState('');
  const body = {
    backups: 'backups' in chosen ? [...chosen.backups] : [],
    device: 'device' in chosen ? chosen.device : null,
    store: store || null,
  };
  const shown = useQuery({
    queryKey: key('leaving', 'removal', body),
    queryFn: () => told(client.POST('/api/backups/remove/preview', { body })),
    retry: false,
  });
  const remove = useAct(
    () => client.POST('/api/backups/remove', { body: { ...body, why, word, seen: shown.data?.digest ?? '' } }),
    'backup',
    onClose,
  );
  return (
    <Dialog
      title={title}
      action="Let them leave"
      danger
      size="lg"
      onSubmit={() => remove.go()}
      onCancel={onClose}
      problem={remove.problem}
      busy={remove.busy || !shown.data?.copies}
    >
      <From value={store} onChange={setStore} />
      {shown.isPending && <Loading what="what will be lost" />}
      {shown.isLoadingError && <Failed problem={problemOf(shown.error)} />}
      {shown.data && <Loss shown={shown.data} />}
      {shown.data && shown.data.copies > 0 && <Freed of={body} ask={() => client.POST('/api/backups/remove/bytes', { body })} />}
      <Field label="Why" value={why} onChange={setWhy} maxLength={200} required field="why" />
      {shown.data?.word && (
        <Field
          label={`This removes more than usual. Type “${shown.data.word}” to go on`}
          value={word}
          onChange={setWord}
          autoComplete="off"
          field="word"
          required
        />
      )}
    </Dialog>
  );
}

function From({ value, onChange }: { value: string; onChange: (id: string) => void }) {
  const stores = useStores();
  const options = [
    { value: '', label: 'everywhere' },
    ...(stores.data ?? []).map((one) => ({ value: one.id, label: `from ${one.name} only` })),
  ];
  return <Choice label="Where" value={value} onChange={onChange} options={options} />;
}

export function Loss({ shown }: { shown: Shown }) {
  if (shown.copies === 0 && shown.held + shown.frozen === 0)
    return <p>No store holds any of this any more, or all of it leaves already.</p>;
  if (shown.copies === 0)
    return (
      <p className="said bad">
        Nothing of this can leave: {counted(shown.held, 'copy is', 'copies are')} on hold,{' '}
        {counted(shown.frozen, 'copy stays', 'copies stay')} because nothing leaves for now.
      </p>
    );
  return (
    <>
      <p>
        {counted(shown.copies, 'copy leaves', 'copies leave')} {shown.stores.join(', ')}. Until its day each can be restored, and kept after
        all under Leaving.
      </p>
      <ul>
        {shown.devices.slice(0, 12).map((one) => (
          <li key={one.device_id}>
            <strong>{one.device_name}</strong> <span className="quiet">{one.holder}</span>: {lossWords(one)}{' '}
            {one.newest_left && (
              <>
                The newest that is left is of <When at={one.newest_left} />.
              </>
            )}
          </li>
        ))}
      </ul>
      {shown.device_count > 12 && <p className="quiet">and {counted(shown.device_count - 12, 'more device')}</p>}
      {shown.held > 0 && <p className="quiet">{counted(shown.held, 'copy stays', 'copies stay')}, being on hold.</p>}
    </>
  );
}

function lossWords({ nowhere, left }: Pick<Shown['devices'][number], 'nowhere' | 'left'>): string {
  if (nowhere === 0) return `nothing is lost, other stores keep what leaves here; ${counted(left, 'backup')} can be restored.`;
  if (left === 0) return `${counted(nowhere, 'backup')} will be lost, and nothing is left to restore.`;
  return `${counted(nowhere, 'backup')} will be lost, ${left} stay.`;
}
