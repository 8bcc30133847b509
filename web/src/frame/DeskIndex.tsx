/** The sheets of a long desk on one line: which one is in view, and a jump to any other. */
import { useEffect, useState, type ReactNode, type RefObject } from 'react';
import { Dropdown } from 'react-bootstrap';
import { openSheet } from './open-sheet.ts';
import type { StationId } from './stations.ts';

/** A desk of fewer sheets needs no index. */
const LEAST_SHEETS = 6;
/** A sheet counts as in view when its head is no further below the edge, px. */
const NEAR_EDGE = 60;

interface Seen {
  readonly names: readonly string[];
  /** The sheet at the upper edge of the desk. */
  readonly at: string;
}

const NOTHING: Seen = { names: [], at: '' };

function lookAt(desk: HTMLElement): Seen {
  const sheets = [...desk.querySelectorAll<HTMLElement>('section.sheet')];
  const edge = desk.getBoundingClientRect().top + NEAR_EDGE;
  const above = sheets.filter((x) => x.getBoundingClientRect().top < edge);
  return {
    names: sheets.map((x) => x.getAttribute('aria-label') ?? ''),
    at: (above.at(-1) ?? sheets[0])?.getAttribute('aria-label') ?? '',
  };
}

const same = (a: Seen, b: Seen): boolean => a.at === b.at && a.names.join('|') === b.names.join('|');

/** Follows what the desk holds and how far it is scrolled. */
function useSheets(desk: RefObject<HTMLElement | null>): Seen {
  const [seen, setSeen] = useState(NOTHING);
  useEffect(() => {
    const place = desk.current;
    if (!place) return;
    let frame = 0;
    const look = (): void => {
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(() => {
        const now = lookAt(place);
        setSeen((before) => (same(before, now) ? before : now));
      });
    };
    look();
    const watch = new MutationObserver(look);
    watch.observe(place, { childList: true, subtree: true });
    place.addEventListener('scroll', look, { passive: true });
    return () => {
      cancelAnimationFrame(frame);
      watch.disconnect();
      place.removeEventListener('scroll', look);
    };
  }, [desk]);
  return seen;
}

export function DeskIndex({ station, desk }: { station: StationId; desk: RefObject<HTMLElement | null> }): ReactNode {
  const { names, at } = useSheets(desk);
  if (names.length < LEAST_SHEETS) return null;
  return (
    <Dropdown className="desk-index">
      <Dropdown.Toggle as="button" className="plain" title="Go to a sheet of this station">
        Sheets · {at}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {names.map((name) => (
          <Dropdown.Item key={name} as="button" active={name === at} onClick={() => openSheet(station, name)}>
            {name}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
