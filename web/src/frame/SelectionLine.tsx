/** What is selected and what that selection measures at once, with its s.u. */
import { useMemo, type ReactNode } from 'react';
import { isHome, operatorOf, siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { operatorToXyz } from '@nagare/core/crystal/operator';
import type { Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { angle, distance, torsion } from '@nagare/core/geometry/figures';
import { cartesianOf, measure } from '@nagare/core/geometry/measure';
import { planeOf } from '@nagare/core/geometry/points';
import type { CovarianceData } from '@nagare/core/refine/covariance';
import { useProject } from '../store/use-project.tsx';

/** Label with a prime for copies made by symmetry. */
const atomName = (s: Structure, a: AtomRef): string => `${siteOf(s, a)?.label ?? '?'}${isHome(a) ? '' : '′'}`;

/** More atoms than this are counted, not measured. */
const MOST_IN_PLANE = 60;

/** What a selection measures, in words. */
export function selectionMeasure(s: Structure, atoms: readonly AtomRef[], covariance?: CovarianceData): string {
  const said = (name: string, figure: typeof distance, digits: number, unit: string): string => {
    const m = measure(s, atoms, figure, covariance);
    return `${name} ${formatMeasured(m.value, m.su, digits)}${unit}`;
  };
  switch (atoms.length) {
    case 1:
      return isHome(atoms[0]!) ? 'one site' : `copy by ${operatorToXyz(operatorOf(s.spaceGroup, atoms[0]!))}`;
    case 2:
      return said('distance', distance, 3, ' Å');
    case 3:
      return said('angle', angle, 1, '°');
    case 4:
      return said('torsion', torsion, 1, '°');
  }
  if (atoms.length > MOST_IN_PLANE) return '';
  const plane = planeOf(cartesianOf(s, atoms));
  const largest = Math.max(...plane.deviations.map(Math.abs));
  return `plane, r.m.s. deviation ${plane.rms.toFixed(3)} Å, largest ${largest.toFixed(3)} Å`;
}

export function SelectionLine(): ReactNode {
  const { head, selection, result, select } = useProject('head', 'selection', 'result', 'select');
  const text = useMemo(() => {
    const s = head?.structure;
    const atoms = s ? selection.filter((a) => siteOf(s, a)) : [];
    if (!s || !atoms.length) return undefined;
    const names = atoms.length > MOST_IN_PLANE ? [`${atoms.length} sites`] : atoms.map((a) => atomName(s, a));
    return { names, value: selectionMeasure(s, atoms, result?.covariance) };
  }, [head, selection, result]);
  if (!text)
    return (
      <div className="selection-line" aria-live="polite">
        <span className="soft">
          Nothing selected. Click atoms to measure: two give a distance, three an angle, four a torsion, more a plane.
        </span>
      </div>
    );
  return (
    <div className="selection-line" aria-live="polite">
      <b className="text-truncate">
        {text.names.slice(0, 8).join(' – ')}
        {text.names.length > 8 ? ' …' : ''}
      </b>
      <span className="value" data-testid="measurement">
        {text.value}
      </span>
      <span className="flex-grow-1" />
      {text.value && (
        <button
          className="word"
          onClick={() => void navigator.clipboard.writeText(`${text.names.join(' – ')}: ${text.value}`)}
        >
          Copy
        </button>
      )}
      <button className="word" onClick={() => select([])}>
        Clear
      </button>
    </div>
  );
}
