/** What is said of a copy on its way, in the list of copies and in short beside the stores. */
import { Link } from 'react-router';

import type { Schemas } from '../../api/client';
import { counted, spoken } from '../../ui/format';
import { Mark } from '../../ui/Mark';
import { Age, useNow, When } from '../../ui/Office';
import { percentOf, secondsLeft } from './words';

type Copy = Schemas['ComingCopy'];

const LOOKS = {
  owed: { shape: 'ring', tone: 'act', word: 'owed' },
  copying: { shape: 'arc', tone: 'act', word: 'under way' },
  failed: { shape: 'triangle', tone: 'late', word: 'not copied' },
} as const;

export const CopyMark = ({ copy, wordless }: { copy: Copy; wordless?: boolean }) => (
  <Mark look={LOOKS[copy.state]} {...(wordless ? { wordless } : {})} />
);

export const CopyOf = ({ copy }: { copy: Copy }) => (
  <>
    <Link className="title-link" to={`/backups/${copy.backup_id}`}>
      {copy.device_name}
    </Link>{' '}
    <span className="quiet">{copy.holder}</span>
  </>
);

/** How far it is, or what it waits for. */
export function CopyProgress({ copy }: { copy: Copy }) {
  const percent = percentOf(copy.progress);
  const left = secondsLeft(copy.progress);
  const waits = useNow() < new Date(copy.due_at ?? 0).getTime();
  if (copy.state === 'copying') {
    if (percent === null) return <>begins</>;
    return (
      <>
        <progress value={percent} max={100} aria-label={`Copy of ${copy.device_name}`} /> {percent} %
        {left !== null && left > 1 && `, ${spoken(left)} left`}
      </>
    );
  }
  if (copy.waits_for_drive) return <span className="quiet">waits until {copy.store_name} is plugged in</span>;
  return (
    <>
      {copy.cause && <span>{copy.cause} </span>}
      {copy.state === 'failed' && copy.remedy}
      {copy.state === 'owed' && copy.due_at && (
        <span className="quiet">
          {waits ? (
            <>
              {copy.cause ? 'tried again ' : 'its turn from '}
              <When at={copy.due_at} />
            </>
          ) : (
            'waits for its turn'
          )}
          {copy.attempts > 0 && `, after ${counted(copy.attempts, 'attempt')}`}
        </span>
      )}
    </>
  );
}

export const OwedSince = ({ copy }: { copy: Copy }) => (copy.asked_at ? <Age at={copy.asked_at} /> : <>–</>);
