/** What it would mean to leave something out from now on; the step itself is the plan's. */
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { Dialog } from '../../ui/forms/Dialog';
import { counted } from '../../ui/format';
import { When } from '../../ui/Office';
import { Failed, Loading } from '../../ui/States';
import { effectWords, planWithout, type Effect, type Filling } from './filling';

export interface Wish {
  kind: string;
  under: string;
}

interface Props {
  device: string;
  store: Filling['store'];
  wish: Wish;
  label: (kind: string) => string;
  onClose: () => void;
}

export function LeaveOut({ device, store, wish, label, onClose }: Props) {
  const navigate = useNavigate();
  const may = useMay();
  const query = { store: store.id, kind: wish.kind as Schemas['KindEnum'], under: wish.under };
  const effect = useQuery({
    queryKey: key('inside', 'left-out', device, query),
    queryFn: () => told(client.GET('/api/devices/{id}/filling/left-out', { params: { path: { id: device }, query } })),
  });
  const plan = effect.data?.already ? null : effect.data?.plan;
  const onSubmit = plan && may('set_up') ? () => void navigate(planWithout(plan.id, wish.kind, wish.under)) : onClose;
  return (
    <Dialog
      title={<span className="breaks">Leave {wish.under} out?</span>}
      action={plan && may('set_up') ? `Put it into ${plan.name} …` : 'Close'}
      onSubmit={onSubmit}
      onCancel={onClose}
    >
      <p className="quiet">{label(wish.kind)}</p>
      {effect.isPending && <Loading what="what that would mean" />}
      {effect.isLoadingError && <Failed problem={problemOf(effect.error)} onRetry={() => void effect.refetch()} />}
      {effect.data && <Means effect={effect.data} store={store.name} />}
    </Dialog>
  );
}

function Means({ effect, store }: { effect: Effect; store: string }) {
  return (
    <>
      {effectWords(effect, store).map((sentence) => (
        <p key={sentence}>{sentence}</p>
      ))}
      {effect.last_at && (
        <p>
          As it is it can be restored from backups up to that of <When at={effect.last_at} />.
        </p>
      )}
      {!effect.plan && <p>The device follows no plan that could leave it out.</p>}
      {effect.plan && effect.already && <p>{effect.plan.name} leaves it out as it is.</p>}
      {effect.plan && !effect.already && effect.others > 0 && (
        <p>
          {effect.plan.name} is followed by {counted(effect.others, 'other device')}: what they hold of it is left out, too.
        </p>
      )}
    </>
  );
}
