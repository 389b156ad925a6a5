/** Asks before something is done: what exactly happens, and if wanted a reason. */
import { useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';

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
    <Modal show onHide={onCancel} centered aria-labelledby="confirm-title" animation={false}>
      <Modal.Header>
        <Modal.Title id="confirm-title" as="h2">
          {title}
        </Modal.Title>
      </Modal.Header>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          onConfirm(given);
        }}
      >
        <Modal.Body>
          {children}
          {reason && <Field label={reason} value={given} onChange={setGiven} maxLength={200} required />}
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-primary" onClick={onCancel}>
            Leave it
          </Button>
          <Button type="submit">{action}</Button>
        </Modal.Footer>
      </form>
    </Modal>
  );
}
