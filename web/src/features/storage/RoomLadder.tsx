/** The ladder: steps in the order in which a good practitioner takes them, each move with what it loses and when its bytes are free. */
import { Link } from 'react-router';

import { useMay } from '../../api/may';
import { Bytes } from '../../ui/Bytes';
import { plainDay } from '../../ui/format';
import { toggled, type Offer, type Rung } from './room';

interface Props {
  rungs: readonly Rung[];
  picked: ReadonlySet<string>;
  onPick: (picked: ReadonlySet<string>) => void;
}

export function Ladder({ rungs, picked, onPick }: Props) {
  const may = useMay();
  return (
    <div className="sheet ladder">
      {rungs.map((rung) => {
        const keys = rung.offers.map((one) => one.key);
        const all = keys.length > 0 && keys.every((one) => picked.has(one));
        return (
          <fieldset key={rung.rung}>
            <legend>
              {rung.title}
              {may('remove') && keys.length > 1 && (
                <label>
                  <input type="checkbox" checked={all} onChange={() => onPick(toggled(picked, keys, !all))} /> all {keys.length}
                  <span className="visually-hidden"> of {rung.title}</span>
                </label>
              )}
            </legend>
            {rung.offers.map((offer) => (
              <Move key={offer.key} offer={offer} on={picked.has(offer.key)} onChange={(on) => onPick(toggled(picked, [offer.key], on))} />
            ))}
            {rung.elsewhere.map((one) => (
              <LeftOut key={one.title} one={one} />
            ))}
          </fieldset>
        );
      })}
    </div>
  );
}

function Move({ offer, on, onChange }: { offer: Offer; on: boolean; onChange: (on: boolean) => void }) {
  const may = useMay();
  return (
    <label className={on ? 'move chosen' : 'move'}>
      {may('remove') ? <input type="checkbox" checked={on} onChange={(event) => onChange(event.target.checked)} /> : <span />}
      <span className="what">
        <strong>{offer.title}</strong>
        <span className="quiet">loses: {offer.loses}</span>
      </span>
      <span className="num">
        <strong>
          <Bytes count={offer.bytes} />
        </strong>
        <span className="quiet">free by {plainDay(offer.free_on)}</span>
      </span>
    </label>
  );
}

/** What is decided in a plan, and frees as old backups go. */
function LeftOut({ one }: { one: Rung['elsewhere'][number] }) {
  return (
    <div className="move">
      <span />
      <span className="what">
        <strong>{one.title}</strong>
        <span className="quiet">
          loses: {one.loses}. {one.plan && <Link to={`/plans/${one.plan}`}>Change the plan</Link>}
        </span>
      </span>
      <span className="num">
        <strong>
          at least <Bytes count={one.bytes} />
        </strong>
        <span className="quiet">as old ones go</span>
      </span>
    </div>
  );
}
