/** A crystal under strain: other constants of the cell, fractions kept, and the symmetry that the new metric leaves. */
import {
  cellFromMetric,
  cellVolume,
  isPlausibleCell,
  metricTensor,
  orthogonalization,
  type Cell,
} from '../crystal/cell.ts';
import { congruence } from '../crystal/lattice.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { multiply3, toMat3, transpose3, type Mat3 } from '../math/matrix3.ts';
import { lowerSymmetry, subgroupOf } from '../symmetry/subgroups.ts';
import type { CellAnswer } from './supercell.ts';
import { wholeCell, withoutRules } from './whole-cell.ts';

export type Strain =
  /** a, b, c in Å, α, β, γ in degrees. */
  | { readonly by: 'constants'; readonly constants: readonly number[] }
  /** ε₁₁, ε₂₂, ε₃₃, ε₂₃, ε₁₃, ε₁₂ (not doubled), x along a and z along c*. */
  | { readonly by: 'tensor'; readonly components: readonly number[] };

/** The symmetric matrix of six components 11, 22, 33, 23, 13, 12. */
export const symmetricMatrix = ([xx, yy, zz, yz, xz, xy]: readonly number[]): Mat3 =>
  toMat3([xx!, xy!, xz!, xy!, yy!, yz!, xz!, yz!, zz!]);

/** The cell of axes deformed by 1 + ε. */
function deformed(cell: Cell, components: readonly number[]): Cell {
  const stretch = toMat3(symmetricMatrix(components).map((x, i) => x + (i % 4 ? 0 : 1)));
  const axes = multiply3(stretch, orthogonalization(cell));
  return cellFromMetric(multiply3(transpose3(axes), axes));
}

function strainedCell(cell: Cell, strain: Strain): Cell {
  const numbers = strain.by === 'tensor' ? strain.components : strain.constants;
  if (numbers.length !== 6 || !numbers.every(Number.isFinite))
    throw new RangeError(
      strain.by === 'tensor' ? 'A strain has six components.' : 'A cell has six constants: a, b, c, α, β, γ.',
    );
  if (strain.by === 'tensor') return deformed(cell, numbers);
  const [a, b, c, alpha, beta, gamma] = numbers as [number, number, number, number, number, number];
  return { a, b, c, alpha, beta, gamma };
}

/** Part of the metric by which a rotation may miss it. */
const KEPT = 1e-5;

/** Rotations of the group that leave a metric as it is. */
function rotationsKept(s: Structure, metric: Mat3): Mat3[] {
  const size = Math.max(...metric);
  return rotationsOf(s.spaceGroup).filter((r) =>
    congruence(metric, r).every((x, i) => Math.abs(x - metric[i]!) < KEPT * size),
  );
}

/**
 * The same fractions in a strained cell. Operations that the new metric does not have are given up, and what they made of a
 * site becomes sites of its own. Throws RangeError where the constants make no cell.
 */
export function strained(s: Structure, strain: Strain): CellAnswer {
  const cell = strainedCell(s.cell, strain);
  if (!isPlausibleCell(cell))
    throw new RangeError(
      'These constants make no cell: lengths are Å, angles degrees, and the volume must not vanish.',
    );
  const before = wholeCell(s).sites.length;
  const kept = rotationsKept(s, metricTensor(cell));
  const plain = withoutRules(s);
  const whole = kept.length === s.spaceGroup.representatives.length;
  const lowered = whole ? plain : lowerSymmetry(plain, subgroupOf(s.spaceGroup, kept));
  const structure = { ...withoutRules(lowered), cell };
  const after = wholeCell(structure).sites.length;
  const [old, now] = [cellVolume(s.cell), cellVolume(cell)];
  const change = (100 * (now - old)) / old;
  const size = `The volume goes from ${old.toFixed(2)} to ${now.toFixed(2)} Å³ (${change < 0 ? '−' : '+'}${Math.abs(change).toFixed(2)} %)`;
  const group = whole
    ? 'the symmetry stays'
    : `of ${s.spaceGroup.symbol || 'the group'} ${lowered.spaceGroup.symbol || 'a group without a name'} is left`;
  const words = `${size}; ${group}; ${before} atoms before and ${after} after${before === after ? ', as it should be' : ''}.`;
  return { structure, before, after, determinant: 1, merged: 0, words };
}
