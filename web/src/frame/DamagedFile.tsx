/** A project file of which a part is damaged: what is lost, and whether the rest is taken. */
import type { ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import type { ReadFile } from '../store/project-door.ts';

/** Losses that are told one by one. */
const SHOWN = 8;

export interface DamagedFileProps {
  readonly fileName: string;
  readonly file: ReadFile;
  onTake(): void;
  onLeave(): void;
}

export function DamagedFile({ fileName, file, onTake, onLeave }: DamagedFileProps): ReactNode {
  const rest = file.lost.length - SHOWN;
  return (
    <Modal show centered animation={false} onHide={onLeave} aria-labelledby="damaged-title">
      <Modal.Header closeButton>
        <Modal.Title as="h2" id="damaged-title" className="fs-6">
          {fileName} is damaged
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <ul className="arrival-asides" aria-label="What is damaged">
          {file.lost.slice(0, SHOWN).map((text, i) => (
            <li key={i}>{text}</li>
          ))}
          {rest > 0 && <li>and {rest} more.</li>}
        </ul>
        <p className="mb-0 mt-3">
          The rest of “{file.name}” is whole, {file.marks === 1 ? 'one mark' : `${file.marks} marks`} of its course
          among it. Nothing was taken in yet.
        </p>
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={onLeave}>
          Leave it
        </Button>
        <Button autoFocus onClick={onTake}>
          Take in what is whole
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
