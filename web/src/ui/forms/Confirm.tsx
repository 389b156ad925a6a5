/** Asks before something is done: what exactly happens, and if wanted a reason. */
import { useState, type ReactNode } from 'react';

import { Dialog } from './Dialog';
import { Field } from './Field';

interface Props {
  title: string;
  children: ReactNode;
  action: string;
  reason?: string;
  onConfirm: (reason: string) => void;
  onCancel: () => void;
}

export function Confirm({ title, children, action, reason, onConfirm, onCancel }: Props) {
  const [given, setGiven] = useState('');
  return (
    <Dialog title={title} action={action} onSubmit={() => onConfirm(given)} onCancel={onCancel}>
      {children}
      {reason && <Field label={reason} value={given} onChange={setGiven} maxLength={200} required />}
    </Dialog>
  );
}
