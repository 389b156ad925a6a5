import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { usePlans } from '../../api/queries';
import { spoken } from '../../ui/format';
import { When } from '../../ui/Office';
import { PauseButton } from '../../parts/Pausing';
import { pauseWords } from '../../parts/pauses';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { hhmm, keepsSentence, targetsWords } from './words';

/** Every plan: when, where to, how fresh, what is kept, and who follows it. */
export function PlansScreen() {
  const plans = usePlans();
  const may = useMay();
  const pauses = useQuery({ queryKey: key('pauses'), queryFn: () => told(client.GET('/api/pauses')) });
  const everything = pauses.data?.find((pause) => pause.of === 'everything');
  const navigate = useNavigate();
  return (
    <>
      <div className="head">
        <div>
          <Heading title="Plans" />
          <p className="sub mb-0">What goes in, when, where to, how fresh it must be, and what is kept.</p>
        </div>
        <div className="row-end">
          {may('pause_everything') && <PauseButton what="everything" pause={everything ?? null} />}
          <Link to="/plans/exceptions">Exceptions from their rules</Link>
          <Button onClick={() => void navigate('/plans/new')}>Make a plan</Button>
        </div>
      </div>
      <div className="sheet scroll">
        {plans.isPending && <Loading what="plans" />}
        {plans.isLoadingError && <Failed problem={problemOf(plans.error)} onRetry={() => void plans.refetch()} />}
        {plans.data?.length === 0 && <Empty>No plan yet. Until there is one, which says what is backed up and when, nothing runs.</Empty>}
        {plans.data && plans.data.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">Plan</th>
                <th scope="col">Runs</th>
                <th scope="col">Next</th>
                <th scope="col">Store</th>
                <th scope="col">Promise</th>
                <th scope="col">Keeps</th>
                <th scope="col" className="num">
                  Devices
                </th>
              </tr>
            </thead>
            <tbody>
              {plans.data.map((plan) => (
                <tr key={plan.id} className="linked">
                  <td>
                    <Link className="title-link" to={`/plans/${plan.id}`}>
                      {plan.name}
                    </Link>
                    {plan.fault && (
                      <div className="tone-late">
                        It cannot be computed, so nothing of it runs: {plan.fault} Open it and save it with other dates.
                      </div>
                    )}
                  </td>
                  <td>
                    {plan.sentence}, until {hhmm(plan.window_closes)}
                    {plan.pause && <div className="tone-soon">{pauseWords(plan.pause)}</div>}
                  </td>
                  <td className="nowrap">{plan.next_run ? <When at={plan.next_run} /> : '–'}</td>
                  <td>{targetsWords(plan.targets)}</td>
                  <td>{spoken(plan.promise_seconds)}</td>
                  <td>{keepsSentence(plan)}</td>
                  <td className="num">{plan.device_count}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </>
  );
}
