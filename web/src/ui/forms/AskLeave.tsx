/** What is asked before a screen with unsaved words is left. */
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';

export function AskLeave({ onLeave, onStay }: { onLeave: () => void; onStay: () => void }) {
  return (
    <Modal show centered animation={false} aria-labelledby="unsaved-title" onHide={onStay}>
      <Modal.Header>
        <Modal.Title id="unsaved-title" as="h2">
          Leave without saving?
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>What you typed on this screen is not saved yet.</Modal.Body>
      <Modal.Footer>
        <Button variant="outline-danger" onClick={onLeave}>
          Leave
        </Button>
        <Button onClick={onStay}>Stay here</Button>
      </Modal.Footer>
    </Modal>
  );
}
