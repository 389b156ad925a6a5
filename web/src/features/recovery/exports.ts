/** How something leaves: what the form holds, and what the server is asked. */
import type { Kind, RestoreRequest, Things } from './queries';

export type Target = RestoreRequest['target'];
export type Cards = NonNullable<RestoreRequest['cards']>;
export type Layout = NonNullable<RestoreRequest['layout']>;

export interface Leaving {
  cards: Cards;
  layout: Layout;
  locked: boolean;
  passphrase: string;
  again: string;
  folder: string;
  keeper: number | null;
  until: string;
}

export interface Going extends Leaving {
  target: Target;
  device: string;
  whenThere: RestoreRequest['when_there'];
}

export const NO_EXPORT: Leaving = {
  cards: '4.0',
  layout: 'files',
  locked: false,
  passphrase: '',
  again: '',
  folder: '',
  keeper: null,
  until: '',
};

/** The request: what belongs to another target than the chosen one is left out. */
export function asked(backup: string, things: Things, going: Going): RestoreRequest {
  const locked = going.target === 'archive' && going.locked;
  const folder = going.target === 'folder';
  return {
    backup,
    everything: things.everything,
    kinds: things.kinds as Kind[],
    items: things.items as { kind: Kind; id: string }[],
    target: going.target,
    device: going.target === 'device' ? going.device : null,
    when_there: going.whenThere,
    cards: going.cards,
    layout: going.target === 'device' ? 'files' : going.layout,
    passphrase: locked ? going.passphrase : '',
    passphrase_again: locked ? going.again : '',
    folder: folder ? going.folder : '',
    keeper: folder ? going.keeper : null,
    until: folder && going.until ? going.until : null,
  };
}
