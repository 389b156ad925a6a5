/** A night: what was lined up against the window, and what came of it; what needs a look first, a page at a time. */
import Form from 'react-bootstrap/Form';
import { Link } from 'react-router';

import { problemOf } from '../../api/client';
import { useAddress } from '../../ui/address';
import { counted, plainDay } from '../../ui/format';
import { Find } from '../../ui/forms/Find';
import { useNow } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Scroll } from '../../ui/Scroll';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { nightSentence, SHOWS, type Sums } from './night';
import { NightChart } from './NightChart';
import { NightTable } from './NightTable';
import { useNight, useNightRows } from './queries';

const PAGE = 50;

export function NightScreen() {
  const { get } = useAddress();
  const now = useNow();
  const night = useNight(get('night'));
  if (night.isPending) return <Loading what="the night" />;
  if (night.isLoadingError) return <FailedScreen problem={problemOf(night.error)} onRetry={() => void night.refetch()} />;
  return (
    <>
      <div className="head">
        <div>
          <Heading title={`The night of ${plainDay(night.data.night)}`} />
          <p className="sub mb-0">{nightSentence(night.data, now)}</p>
        </div>
        <Link to={`/history?night=${night.data.night}`}>The runs of this night in the history</Link>
      </div>
      {night.data.rows === 0 ? (
        <div className="sheet">
          <Empty>Nothing is lined up for this night, and nothing ran in it.</Empty>
        </div>
      ) : (
        <Rows sums={night.data} />
      )}
    </>
  );
}

function Rows({ sums }: { sums: Sums }) {
  const { get, set, page, turn } = useAddress();
  const now = useNow();
  const shows = SHOWS.find((one) => one.value === get('shows'))?.value;
  const words = get('words');
  const rows = useNightRows({ night: sums.night, page, page_size: PAGE, ...(shows ? { shows } : {}), ...(words ? { words } : {}) });
  if (rows.isPending) return <Loading what="the rows of the night" />;
  if (rows.isLoadingError) return <Failed problem={problemOf(rows.error)} onRetry={() => void rows.refetch()} />;
  const { results, count } = rows.data;
  return (
    <>
      <div className="filters">
        <Form.Select size="sm" aria-label="Which runs" value={shows ?? ''} onChange={(event) => set('shows', event.target.value)}>
          <option value="">All {counted(sums.rows, 'row')}, what needs a look first</option>
          {SHOWS.map((one) => (
            <option key={one.value} value={one.value}>
              {one.label}
            </option>
          ))}
        </Form.Select>
        <Find
          label="Find a device, holder, plan or store in this night"
          value={words ?? ''}
          onFind={(next) => set('words', next)}
          found={counted(count, 'row')}
        />
      </div>
      {results.length === 0 ? (
        <div className="sheet">
          <Empty>Nothing in this night fits. Show all, or look for something else.</Empty>
        </div>
      ) : (
        <>
          <Scroll className="sheet pad mb-3" label="Chart of the rows">
            <NightChart span={sums} rows={results} now={now} />
          </Scroll>
          <section className="sheet">
            <h2 className="pad pb-0 mb-1">
              The same as a table <small>{counted(count, 'row')}</small>
            </h2>
            <NightTable rows={results} />
            <Pager page={page} pageSize={PAGE} count={count} onPage={turn} />
          </section>
        </>
      )}
    </>
  );
}
