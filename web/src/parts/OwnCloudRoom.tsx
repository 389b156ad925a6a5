/** Room in the account of a device's own cloud backup: how long it lasts, what its holder can do, and a letter that says so. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../api/act';
import { client, problemOf, told, type Schemas } from '../api/client';
import { key } from '../api/keys';
import { useMay } from '../api/may';
import { Dialog } from '../ui/forms/Dialog';
import { Field, Letter } from '../ui/forms/Field';
import { iec } from '../ui/format';
import { Failed } from '../ui/States';
import { roomLine } from './ownCloud';

type Room = Schemas['OwnCloudRoom'];

export function OwnCloudRoom({ device }: { device: string }) {
  const may = useMay();
  const mayRead = may('read_messages');
  const answer = useQuery({
    queryKey: key('devices', 'own cloud room', device),
    queryFn: () => told(client.GET('/api/devices/{id}/own-cloud/room', { params: { path: { id: device } } })),
    enabled: mayRead,
  });
  if (!mayRead) return null;
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  if (!answer.data?.room) return null;
  return <Told device={device} room={answer.data.room} mayWrite={may('settle')} />;
}

function Told({ device, room, mayWrite }: { device: string; room: Room; mayWrite: boolean }) {
  const [writing, setWriting] = useState(false);
  return (
    <>
      <dl className="facts mb-1">
        <dt>Lasts</dt>
        <dd className={room.lasts?.soon ? 'tone-late' : ''}>{room.lasts?.says ?? 'It tells no limit.'}</dd>
      </dl>
      {room.steps.length > 0 && (
        <details open={Boolean(room.wanted_bytes)}>
          <summary>What makes room there</summary>
          <p className="mb-1">{roomLine(room)}</p>
          <ol className="mb-1">
            {room.steps.map((step) => (
              <li key={step.title}>
                {step.title}, up to {iec(step.bytes)} <span className="quiet">{step.loses}</span>
              </li>
            ))}
          </ol>
          <p className="hint">
            These are its holder’s steps; the sizes are as the device says, and may overlap. What is switched off there usually stays for
            about 30 days before it is erased.
          </p>
          {mayWrite && (
            <Button size="sm" variant="outline-primary" onClick={() => setWriting(true)}>
              Write to the holder …
            </Button>
          )}
        </details>
      )}
      {writing && <WriteTo device={device} room={room} onClose={() => setWriting(false)} />}
    </>
  );
}

function WriteTo({ device, room, onClose }: { device: string; room: Room; onClose: () => void }) {
  const [subject, setSubject] = useState(room.subject);
  const [body, setBody] = useState(room.body);
  const params = { path: { id: device } };
  const send = useAct(() => client.POST('/api/devices/{id}/own-cloud/letter', { params, body: { subject, body } }), 'telling', onClose);
  return (
    <Dialog
      title="Write to the holder"
      action="Send it"
      size="lg"
      onSubmit={() => send.go()}
      onCancel={onClose}
      problem={send.problem}
      busy={send.busy}
    >
      <p className="mb-2">
        {room.to
          ? `It goes to ${room.to}.`
          : 'Nobody noted where the holder gets mail: copy the text, or write the address into Teams and holders.'}
      </p>
      <Field label="Subject" value={subject} onChange={setSubject} maxLength={180} field="subject" required />
      <Letter label="Letter" value={body} onChange={setBody} maxLength={4000} field="body" />
    </Dialog>
  );
}
