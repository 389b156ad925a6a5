/** What a store holds, by team, against what it may hold. Without a limit the bar is open, and as long as its part of the fullest store. */
import { iec } from '../../ui/format';
import { teamsByBytes, hueOf, partsOf, teamWord, type StoreRow } from './teams';

const colourOf = (team: string, stores: readonly StoreRow[]) => `var(--hue-${hueOf(team, stores)})`;

export function TeamBar({ store, stores }: { store: StoreRow; stores: readonly StoreRow[] }) {
  const limit = store.allowance_bytes;
  const { parts, rest, waiting } = partsOf(store, stores);
  const full = limit !== null && store.stored_bytes >= limit * 0.9;
  const pieces = [
    ...store.teams.map((one) => `${teamWord(one.team)} ${iec(one.bytes)}`),
    store.waiting_bytes > 0 && `${iec(store.waiting_bytes)} about to be freed`,
  ].filter(Boolean);
  const of = limit ? ` of ${iec(limit)}` : ', no limit set';
  return (
    <div
      className={`team-bar${full ? ' full' : ''}${limit ? '' : ' open'}`}
      role="img"
      aria-label={`${store.name}: ${iec(store.stored_bytes)}${of}. ${pieces.join(', ')}`}
    >
      {parts.map(({ team, percent }) => (
        <i key={team} style={{ width: `${percent}%`, background: colourOf(team, stores) }} />
      ))}
      <i style={{ width: `${rest}%`, background: 'var(--line)' }} />
      <s style={{ width: `${waiting}%` }} />
    </div>
  );
}

/** Which colour is which team's; the bars say it in words as well. */
export function TeamKey({ stores }: { stores: readonly StoreRow[] }) {
  const teams = teamsByBytes(stores);
  if (teams.length === 0) return null;
  return (
    <p className="team-key mb-1">
      {teams.map((team) => (
        <span key={team}>
          <i style={{ background: colourOf(team, stores) }} aria-hidden="true" /> {teamWord(team)}
        </span>
      ))}
      <span>
        <s aria-hidden="true" /> about to be freed
      </span>
    </p>
  );
}
