/** What is selected and what that selection measures at once, with its s.u. */
import { useMemo, type ReactNode } from 'react';
import { Dropdown } from 'react-bootstrap';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import { withBonding } from '@nagare/core/crystal/bonding';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { SELECTION_STEPS, stepSelection, type SelectionStep } from '../stations/relate/drawing.ts';
import { pinOf } from '../stations/relate/pins.ts';
import { useProject } from '../store/use-project.tsx';
import { atomNames, MOST_IN_PLANE, primeWords, selectionMeasure } from './selection-measure.ts';

export function SelectionLine(): ReactNode {
  const { head, selection, result, select } = useProject('head', 'selection', 'result', 'select');
  const text = useMemo(() => {
    const s = head?.structure;
    const atoms = s ? selection.filter((a) => siteOf(s, a)) : [];
    if (!s || !atoms.length) return undefined;
    const isMany = atoms.length > MOST_IN_PLANE;
    const names = isMany ? [`${atoms.length} sites`] : atomNames(s, atoms);
    return { names, primes: isMany ? '' : primeWords(s, atoms), value: selectionMeasure(s, atoms, result?.covariance) };
  }, [head, selection, result]);
  if (!text)
    return (
      <div className="selection-line" aria-live="polite">
        <span className="soft">
          Click atoms: two give a distance, three an angle, four a torsion.
          <span className="d-none d-xl-inline"> Double-click for the molecule.</span>
        </span>
      </div>
    );
  return (
    <div className="selection-line" aria-live="polite">
      <b className="text-truncate" title={text.primes || undefined}>
        {text.names.slice(0, 8).join(' – ')}
        {text.names.length > 8 ? ' …' : ''}
      </b>
      <span className="value" data-testid="measurement">
        {text.value}
      </span>
      <span className="flex-grow-1" />
      <MoreAtoms />
      <PinButton />
      {text.value && (
        <button className="word" onClick={() => void navigator.clipboard.writeText(copied(text))}>
          Copy
        </button>
      )}
      <button className="word" onClick={() => select([])}>
        Clear
      </button>
    </div>
  );
}

/** Names with what their primes stand for, and the value. */
const copied = ({ names, primes, value }: { names: readonly string[]; primes: string; value: string }): string =>
  `${names.join(' – ')}: ${value}${primes ? ` (${primes})` : ''}`;

/** Keeps the measure of the selection in the scene and in the tables. */
function PinButton(): ReactNode {
  const { head, selection, looks, setLooks } = useProject('head', 'selection', 'looks', 'setLooks');
  const s = head?.structure;
  const atoms = s ? selection.filter((a) => siteOf(s, a)) : [];
  if (!s || head.fit || atoms.length < 2 || atoms.length > MOST_IN_PLANE) return null;
  return (
    <button
      className="word"
      title="Keeps this measure in the scene, in Relate and in the CIF"
      onClick={() => setLooks('pin', { pins: [...looks.pins, pinOf(s, atoms)!] })}
    >
      Pin
    </button>
  );
}

/** Selects further atoms from those that are selected. */
function MoreAtoms(): ReactNode {
  const { head, selection, select, looks, viewer } = useProject('head', 'selection', 'select', 'looks', 'viewer');
  const plain = head?.structure;
  if (!plain || !viewer) return null;
  const take = (step: SelectionStep): void => {
    const s = bonded(withBonding(plain, looks.bonding));
    select(stepSelection(s, viewer.drawn(), selection, step));
  };
  return (
    <Dropdown align="end">
      <Dropdown.Toggle as="button" className="word">
        Select more
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {SELECTION_STEPS.map(([step, words]) => (
          <Dropdown.Item key={step} as="button" onClick={() => take(step)}>
            {words}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
