/** A form in a window of its own: Enter sends it, Escape leaves everything as it is, the focus goes back to where it was. */
import { useEffect, useId, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';

import type { Problem } from '../problem';
import { Form } from './Form';

interface Props {
  title: ReactNode;
  /** The word on the button that does it. */
  action: string;
  onSubmit: () => void;
  onCancel: () => void;
  problem?: Problem | null;
  onOver?: (() => void) | undefined;
  busy?: boolean;
  danger?: boolean;
  size?: 'sm' | 'lg';
  children: ReactNode;
}

export function Dialog({ title, action, onSubmit, onCancel, problem = null, onOver, busy = false, danger = false, size, children }: Props) {
  const id = useId();
  // what it was opened from may be gone with what it did: the focus then goes to the heading, and not to nowhere
  useEffect(
    () => () => {
      setTimeout(() => {
        if (document.activeElement === document.body) document.querySelector<HTMLElement>('h1')?.focus();
      });
    },
    [],
  );
  return (
    <Modal show onHide={onCancel} centered animation={false} aria-labelledby={id} {...(size ? { size } : {})}>
      <Modal.Header>
        <Modal.Title id={id} as="h2">
          {title}
        </Modal.Title>
      </Modal.Header>
      <Form problem={problem} onSubmit={onSubmit} onOver={onOver}>
        <Modal.Body>{children}</Modal.Body>
        <Modal.Footer>
          <Button variant="outline-primary" onClick={onCancel}>
            Cancel
          </Button>
          <Button type="submit" disabled={busy} {...(danger ? { variant: 'danger' } : {})}>
            {action}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
