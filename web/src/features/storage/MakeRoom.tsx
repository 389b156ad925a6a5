/** The list once more, a reason, a word where it is more than usual: then it begins to leave, and can be kept after all until its day. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { useAct } from '../../api/act';
import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { Loss } from '../../parts/Removal';
import { iec, plainDay } from '../../ui/format';
import { Dialog } from '../../ui/forms/Dialog';
import { Field } from '../../ui/forms/Field';
import { Failed, Loading } from '../../ui/States';

interface Props {
  id: string;
  picked: readonly string[];
  onClose: () => void;
  onMade: () => void;
}

const useLooked = (id: string, picked: readonly string[]) =>
  useQuery({
    queryKey: key('leaving', 'room', id, picked),
    queryFn: () => told(client.POST('/api/stores/{id}/room/look', { params: { path: { id } }, body: { moves: [...picked] } })),
    retry: false,
    gcTime: 0,
  });

export function MakeRoom({ id, picked, onClose, onMade }: Props) {
  const [why, setWhy] = useState('');
  const [word, setWord] = useState('');
  const looked = useLooked(id, picked);
  const params = { path: { id } };
  const make = useAct(
    () => client.POST('/api/stores/{id}/room/make', { params, body: { moves: [...picked], why, word, seen: looked.data?.digest ?? '' } }),
    ['backup', 'store', 'plan', 'device'],
    () => {
      onMade();
      onClose();
    },
  );
  const removal = looked.data?.removal;
  return (
    <Dialog
      title="What goes"
      action="Make room"
      danger
      size="lg"
      onSubmit={() => make.go()}
      onCancel={onClose}
      problem={make.problem}
      busy={make.busy || !looked.data}
    >
      {looked.isPending && <Loading what="what goes" />}
      {looked.isLoadingError && <Failed problem={problemOf(looked.error)} />}
      {looked.data && (
        <p>
          {iec(looked.data.sum.given_back_bytes)} are given back
          {looked.data.sum.free_on && `, the last of them free on ${plainDay(looked.data.sum.free_on)}`}.
        </p>
      )}
      {looked.data && <LeftOut titles={looked.data.leaves_out} />}
      {removal && <Loss shown={removal} />}
      <Field label="Why" value={why} onChange={setWhy} maxLength={200} required field="why" />
      {removal?.word && <Word wanted={removal.word} value={word} onChange={setWord} />}
    </Dialog>
  );
}

/** What plans take no more. */
function LeftOut({ titles }: { titles: readonly string[] }) {
  if (titles.length === 0) return null;
  return (
    <>
      <p className="mb-1">From the next runs on, until somebody takes it in again:</p>
      <ul>
        {titles.map((title) => (
          <li key={title}>{title}</li>
        ))}
      </ul>
    </>
  );
}

function Word({ wanted, value, onChange }: { wanted: string; value: string; onChange: (word: string) => void }) {
  const label = `This removes more than usual. Type “${wanted}” to go on`;
  return <Field label={label} value={value} onChange={onChange} autoComplete="off" field="word" required />;
}
