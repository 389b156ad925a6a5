/** How an export leaves: laid out, in which form contacts, under a passphrase, in which folder and until when. */
import { useQuery } from '@tanstack/react-query';

import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import { DateField } from '../../ui/forms/DateField';
import { Check, Choice, Field } from '../../ui/forms/Field';
import type { Cards, Going, Layout } from './exports';
import { CARD_FORMS, LAYOUTS } from './words';

interface Props {
  going: Going;
  put: (change: Partial<Going>) => void;
}

export function ExportOptions({ going, put }: Props) {
  return (
    <div className="ps-4 pt-1">
      <p className="hint">
        Contacts and calendar as such programs read them, mail as one mailbox, messages as a page to read, tables, and the original files. A
        list says what lies where.
      </p>
      <Choice<Layout> label="Laid out as" value={going.layout} onChange={(layout) => put({ layout })} options={LAYOUTS} field="layout" />
      <Choice<Cards> label="Contacts as" value={going.cards} onChange={(cards) => put({ cards })} options={CARD_FORMS} field="cards" />
      {going.target === 'archive' ? <Lock going={going} put={put} /> : <Folder going={going} put={put} />}
    </div>
  );
}

function Lock({ going, put }: Props) {
  const secret = { type: 'password', autoComplete: 'new-password', required: true, maxLength: 200 } as const;
  return (
    <>
      <Check checked={going.locked} onChange={(locked) => put({ locked, passphrase: '', again: '' })}>
        Under a passphrase, for whoever gets it (AES-256)
      </Check>
      {going.locked ? (
        <>
          <Field
            {...secret}
            label="Passphrase"
            value={going.passphrase}
            onChange={(passphrase) => put({ passphrase })}
            field="passphrase"
            hint="At least 16 characters; five or six unrelated words are easy to say on the phone."
          />
          <Field {...secret} label="The same again" value={going.again} onChange={(again) => put({ again })} field="passphrase_again" />
          <p className="hint">
            It is kept only until the archive is made. When it is lost, nobody opens this archive any more, we neither; make it again from
            the backup. Any ZIP program that knows AES-256 opens it; inside lies the archive itself, so that no name shows.
          </p>
        </>
      ) : (
        <p className="hint">On this server it lies sealed until it is fetched. Whoever has fetched it can read it.</p>
      )}
    </>
  );
}

function Folder({ going, put }: Props) {
  const users = useQuery({
    queryKey: key('users'),
    queryFn: () => told(client.GET('/api/users', { params: { query: { page_size: 200 } } })),
  });
  const people = (users.data?.results ?? []).map((user) => ({ value: `${user.id}`, label: user.shown_name }));
  return (
    <>
      <Field
        label="Which folder"
        value={going.folder}
        onChange={(folder) => put({ folder })}
        field="folder"
        required
        maxLength={1000}
        placeholder="/srv/exports/for the lawyer"
        spellCheck={false}
        hint="Empty, or not there yet. It can be read by the server's account alone, and lies there in the open."
      />
      <Choice
        label="Whose it is"
        value={`${going.keeper ?? ''}`}
        onChange={(id) => put({ keeper: id === '' ? null : Number(id) })}
        options={[{ value: '', label: 'mine' }, ...people]}
        field="keeper"
      />
      <DateField label="Last day" value={going.until} onChange={(until) => put({ until })} field="until" required />
      <p className="hint">The day after, the folder is erased with everything in it, whoever put it there.</p>
    </>
  );
}
