/** Plain words to reach any station, sheet, action, atom or selection. */
import './finder.scss';
import { useMemo, useRef, useState, type KeyboardEvent, type ReactNode } from 'react';
import { Modal } from 'react-bootstrap';
import { foundBy, useFinderEntries, type FinderEntry } from './finder-entries.ts';

/** Lines shown at a time. */
const MOST_SHOWN = 12;

export interface FinderProps {
  readonly show: boolean;
  onHide(): void;
  /** Gives the focus back to where it was before. */
  onBack(): void;
}

export function Finder({ show, onHide, onBack }: FinderProps): ReactNode {
  // What was taken acts when the finder has gone, after the focus went back: a sheet that opens keeps it then.
  const taken = useRef<FinderEntry | undefined>(undefined);
  const act = (): void => {
    onBack();
    taken.current?.act();
    taken.current = undefined;
  };
  return (
    <Modal
      show={show}
      onHide={onHide}
      onExited={act}
      animation={false}
      restoreFocus={false}
      className="finder"
      aria-label="Finder"
    >
      <Modal.Body>
        <Search
          onTake={(e) => {
            taken.current = e;
            onHide();
          }}
        />
      </Modal.Body>
    </Modal>
  );
}

/** Made anew each time the finder opens, so that it begins empty. */
function Search({ onTake }: { onTake(e: FinderEntry): void }): ReactNode {
  const [words, setWords] = useState('');
  const [at, setAt] = useState(0);
  const entries = useFinderEntries(words);
  const found = useMemo(() => foundBy(entries, words).slice(0, MOST_SHOWN), [entries, words]);
  const press = (e: KeyboardEvent): void => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key];
    if (step) {
      e.preventDefault();
      setAt(Math.max(0, Math.min(found.length - 1, at + step)));
    } else if (e.key === 'Enter' && found[at]) onTake(found[at]);
  };
  return (
    <>
      <input
        className="form-control"
        autoFocus
        aria-label="Find"
        placeholder="A station, an action, an atom; “all oxygen”, “bonded to N1”, “distance C1 O2”"
        value={words}
        onChange={(e) => {
          setWords(e.target.value);
          setAt(0);
        }}
        onKeyDown={press}
      />
      <ul role="listbox" aria-label="Found">
        {found.map((e, i) => (
          // The field keeps the focus and has the keys.
          // eslint-disable-next-line jsx-a11y/click-events-have-key-events
          <li
            key={e.kind + e.text}
            role="option"
            aria-selected={i === at}
            onMouseEnter={() => setAt(i)}
            onClick={() => onTake(e)}
          >
            <span>{e.text}</span>
            <small>{e.kind}</small>
          </li>
        ))}
      </ul>
      {!found.length && (
        <p className="soft mb-0 mt-2">Nothing by that name. Try a station, a label such as C7, or “all carbon”.</p>
      )}
    </>
  );
}
