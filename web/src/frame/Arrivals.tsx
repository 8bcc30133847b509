/** What was recognised in files just read: which of it is taken, and how. */
import { useState, type ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { AsidesList } from './AsidesList.tsx';
import { choicesFor, type Arrived, type Here, type Way } from './arrivals.ts';

export interface ArrivalsProps {
  readonly arrived: readonly Arrived[];
  readonly problems: readonly string[];
  readonly here: Here | undefined;
  onTake(way: Way, chosen: readonly Arrived[]): void;
  onLeave(): void;
}

export function Arrivals({ arrived, problems, here, onTake, onLeave }: ArrivalsProps): ReactNode {
  const [left, setLeft] = useState<ReadonlySet<Arrived>>(new Set());
  const chosen = arrived.filter((a) => !left.has(a));
  const several = arrived.length > 1;
  const flip = (a: Arrived): void => {
    const next = new Set(left);
    if (!next.delete(a)) next.add(a);
    setLeft(next);
  };
  return (
    <Modal show centered animation={false} onHide={onLeave} aria-labelledby="arrival-title">
      <Modal.Header closeButton>
        <Modal.Title as="h2" id="arrival-title" className="fs-6">
          {arrived.length ? 'What was recognised' : 'This could not be read'}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body className="arrivals">
        {arrived.map((a, i) => {
          const said = (
            <>
              <b>{a.fileName}</b>
              {several && a.found.name !== a.fileName ? ` (${a.found.name})` : ''}: {a.found.sentence}
              <AsidesList asides={a.found.asides ?? []} />
            </>
          );
          return several ? (
            <label key={i} className="d-flex gap-2 mb-2">
              <input type="checkbox" checked={!left.has(a)} onChange={() => flip(a)} />
              <div>{said}</div>
            </label>
          ) : (
            <div key={i} className="mb-2">
              {said}
            </div>
          );
        })}
        {problems.map((p, i) => (
          <p key={i} className="mb-2 off" role="alert">
            {p}
          </p>
        ))}
        {problems.length > 0 && <p className="soft mb-0">Nothing was changed.</p>}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={onLeave}>
          {arrived.length ? 'Leave it' : 'Close'}
        </Button>
        {choicesFor(chosen, here).map((c, i) => (
          <Button
            key={c.way}
            autoFocus={i === 0}
            variant={i === 0 ? 'primary' : 'outline-primary'}
            onClick={() => onTake(c.way, chosen)}
          >
            {c.text}
          </Button>
        ))}
      </Modal.Footer>
    </Modal>
  );
}
