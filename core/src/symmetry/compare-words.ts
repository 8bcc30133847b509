/** How two lattices and two frameworks are related, in words. */
import type { FrameworkMatch } from './compare-frameworks.ts';

const signed = (x: number, digits: number): string => `${x < 0 ? '−' : '+'}${Math.abs(x).toFixed(digits)}`;
const COUNTS = ['', 'one', 'two', 'three', 'four'];

/** "The lattices are the same: axes differ by +0.4, −0.1, +2.0 %, angles by …". */
export function latticeWords({ lattice }: Pick<FrameworkMatch, 'lattice'>): string {
  const { ratio, lengths, angles } = lattice;
  const larger = Math.round(ratio >= 1 ? ratio : 1 / ratio);
  const [small, large] = ratio >= 1 ? ['first', 'second'] : ['second', 'first'];
  const kind =
    larger === 1 ? 'The lattices are the same' : `One cell of the ${large} is ${COUNTS[larger]} of the ${small}`;
  const isEqual = lengths.every((x) => Math.abs(x) < 0.005) && angles.every((x) => Math.abs(x) < 0.005);
  if (isEqual) return `${kind}.`;
  return `${kind}; from the first to the second reduced axes change by ${lengths.map((x) => signed(x, 2)).join(', ')} %, angles by ${angles.map((x) => signed(x, 2)).join(', ')}°.`;
}

/** How many atoms stand in place, and what changed. */
export function frameworkWords({ matched, of, rms, mirrored, sites }: Omit<FrameworkMatch, 'lattice'>): string {
  const [most] = sites;
  const changed = sites.filter((x) => x.elements[0] !== x.elements[1]);
  const others = changed.length
    ? ` ${[...new Set(changed.map((x) => `${x.elements[0]} → ${x.elements[1]}`))].join(', ')}.`
    : '';
  const far = most ? `, the largest shift ${most.shift.toFixed(3)} Å (${most.one} → ${most.two})` : '';
  const hand = mirrored ? ', as mirror images' : '';
  return `${matched} of ${of} atoms but hydrogens stand alike, r.m.s. ${rms.toFixed(3)} Å${hand}${far}.${others}`;
}
