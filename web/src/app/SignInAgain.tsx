/** The session has ended in the middle of something: signed in again over the screen, on which everything stays as it was typed. */
import Modal from 'react-bootstrap/Modal';

import { SignInForm } from '../features/people/SignInScreen';

export function SignInAgain({ onDone }: { onDone: () => void }) {
  return (
    <Modal show centered backdrop="static" keyboard={false} animation={false} aria-labelledby="again-title">
      <Modal.Header>
        <Modal.Title id="again-title" as="h2">
          Your session has ended
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <p>Sign in again. What you have typed on this screen is still there.</p>
        <SignInForm onDone={onDone} />
      </Modal.Body>
    </Modal>
  );
}
