/** A signed answer as it stood, to be printed. */
import { useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { Link, useParams } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { grouped, iec } from '../../ui/format';
import { occasionWord } from '../../ui/occasions';
import { When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading } from '../../ui/States';

export function SignedScreen() {
  const { id = '' } = useParams();
  const signed = useQuery({
    queryKey: key('signed', id),
    queryFn: () => told(client.GET('/api/wipe-answers/{id}', { params: { path: { id } } })),
    staleTime: Infinity,
  });
  if (signed.isPending) return <Loading what="the record" />;
  if (signed.isLoadingError) return <FailedScreen problem={problemOf(signed.error)} />;
  const { told: page, ...found } = signed.data;
  const device = page.device;
  const rows: [string, string][] = [
    ['Device', [device.name, device.make, device.model, device.os_version].filter(Boolean).join(', ')],
    ['Serial, asset tag', [device.serial, device.asset_tag].filter(Boolean).join(', ') || '–'],
    ['Holder, team', [device.holder, device.team].filter(Boolean).join(', ')],
    ['Occasion', [occasionWord(found.occasion), found.note].filter(Boolean).join(': ')],
  ];
  return (
    <article className="record">
      <div className="head">
        <Heading title={`May this device be wiped? ${found.safe ? 'Yes' : 'No'}`} />
        <div className="row-end not-printed">
          <Link to={`/devices/${found.device_id}/wipe`}>Back to the device</Link>
          <Button onClick={() => window.print()}>Print</Button>
        </div>
      </div>
      <p>{page.says}</p>
      <dl className="facts">
        {rows.map(([name, value]) => (
          <div key={name} className="contents">
            <dt>{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
        <dt>Newest backup</dt>
        <dd>
          {page.backup_at ? (
            <>
              <When at={page.backup_at} />, {grouped(page.backup_items)} items, {iec(page.backup_bytes)}, in {page.stores.join(' and ')}
            </>
          ) : (
            'none'
          )}
        </dd>
        <dt>Device looked at</dt>
        <dd>{page.looked_at ? <When at={page.looked_at} /> : 'not looked at'}</dd>
        <dt>Signed</dt>
        <dd>
          <When at={found.at} />, {found.by_name}
        </dd>
      </dl>
      {page.reasons.length > 0 && (
        <>
          <h2>{found.safe ? 'To know' : 'Why'}</h2>
          <ol>
            {page.reasons.map((reason) => (
              <li key={reason.says}>
                <strong>{reason.says}</strong> {reason.step}
              </li>
            ))}
          </ol>
        </>
      )}
      <h2>Kind by kind</h2>
      <table className="rows">
        <thead>
          <tr>
            <th scope="col">Kind</th>
            <th scope="col" className="num">
              On the device
            </th>
            <th scope="col" className="num">
              In the backup
            </th>
            <th scope="col">Answer</th>
          </tr>
        </thead>
        <tbody>
          {page.kinds.map((kind) => (
            <tr key={kind.label}>
              <td>{kind.label}</td>
              <td className="num">{kind.on_device === null ? '–' : grouped(kind.on_device)}</td>
              <td className="num">{grouped(kind.items)}</td>
              <td>{kind.says}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </article>
  );
}
