/** Small molecules for tests, at the lengths and angles at which their energies were published. */
import { elementOf } from '../crystal/elements.ts';
import { BOHR } from '../math/units.ts';
import type { Centre } from './gaussian.ts';
import type { Molecule } from './wavefunction.ts';

type Atom = readonly [string, number, number, number];

/** From coordinates in Å, or in bohr with `unit` 1. */
export const molecule = (atoms: readonly Atom[], multiplicity = 1, charge = 0, unit = 1 / BOHR): Molecule => ({
  centres: atoms.map(([element, x, y, z]): Centre => ({
    element,
    charge: elementOf(element).z,
    position: [x * unit, y * unit, z * unit],
  })),
  charge,
  multiplicity,
});

const RADIAN = Math.PI / 180;

export const atom = (element: string, multiplicity: number): Molecule => molecule([[element, 0, 0, 0]], multiplicity);

export const diatomic = (a: string, b: string, length: number): Molecule =>
  molecule([
    [a, 0, 0, 0],
    [b, 0, 0, length],
  ]);

export const water = (length: number, angle: number): Molecule => {
  const [x, y] = [length * Math.sin((angle / 2) * RADIAN), length * Math.cos((angle / 2) * RADIAN)];
  return molecule([
    ['O', 0, 0, 0],
    ['H', x, y, 0],
    ['H', -x, y, 0],
  ]);
};

export const ammonia = (length: number, angle: number): Molecule => {
  const radius = (2 * length * Math.sin((angle / 2) * RADIAN)) / Math.sqrt(3);
  const z = Math.sqrt(length ** 2 - radius ** 2);
  return molecule([
    ['N', 0, 0, 0],
    ...[0, 120, 240].map((p): Atom => ['H', radius * Math.cos(p * RADIAN), radius * Math.sin(p * RADIAN), z]),
  ]);
};

export const methane = (length: number): Molecule => {
  const d = length / Math.sqrt(3);
  return molecule([
    ['C', 0, 0, 0],
    ['H', d, d, d],
    ['H', d, -d, -d],
    ['H', -d, d, -d],
    ['H', -d, -d, d],
  ]);
};

export const formaldehyde = (co: number, ch: number, angle: number): Molecule => {
  const [x, z] = [ch * Math.sin((angle / 2) * RADIAN), -ch * Math.cos((angle / 2) * RADIAN)];
  return molecule([
    ['C', 0, 0, 0],
    ['O', 0, 0, co],
    ['H', x, 0, z],
    ['H', -x, 0, z],
  ]);
};
