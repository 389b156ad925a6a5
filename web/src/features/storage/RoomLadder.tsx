/** The ladder: steps in the order in which a good practitioner takes them, each move with what it loses and when its bytes are free. */
import { useMay } from '../../api/may';
import { Bytes } from '../../ui/Bytes';
import { freeWords, toggled, type Offer, type Rung } from './room';

interface Props {
  rungs: readonly Rung[];
  /** Something keeps everything here: no day can be told. */
  waits: boolean;
  picked: ReadonlySet<string>;
  onPick: (picked: ReadonlySet<string>) => void;
}

export function Ladder({ rungs, waits, picked, onPick }: Props) {
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
              <Move
                key={offer.key}
                offer={offer}
                waits={waits}
                on={picked.has(offer.key)}
                onChange={(on) => onPick(toggled(picked, [offer.key], on))}
              />
            ))}
          </fieldset>
        );
      })}
    </div>
  );
}

interface MoveProps {
  offer: Offer;
  waits: boolean;
  on: boolean;
  onChange: (on: boolean) => void;
}

function Move({ offer, waits, on, onChange }: MoveProps) {
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
        <span className="quiet">{freeWords(offer, waits)}</span>
      </span>
    </label>
  );
}
