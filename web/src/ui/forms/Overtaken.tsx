/** Somebody else has changed it meanwhile: look at it, or save over it. */
import Button from 'react-bootstrap/Button';

export function Overtaken({ onOver }: { onOver: () => void }) {
  return (
    <p className="row-end">
      <Button variant="outline-primary" href={window.location.href} target="_blank" rel="noopener">
        Look at it in another tab
      </Button>
      <Button variant="outline-danger" onClick={onOver}>
        Save mine over it
      </Button>
    </p>
  );
}
