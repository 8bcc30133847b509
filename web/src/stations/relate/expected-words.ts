/** Tables and names of what a structure lets expect. */
import type { ExpectedPattern, LayerAxis, ReciprocalLayer, StructureFactor } from '@nagare/core/powder/expected';
import type { PlainTable } from '@nagare/core/publish/tables';

/** A layer by its indices, as in "h k 1". */
export const layerName = (axis: LayerAxis, level: number): string =>
  ['h', 'k', 'l'].map((x, k) => (k === axis ? String(level).replace('-', '−') : x)).join(' ');

export const lineTable = ({ lines }: ExpectedPattern, wavelength: number): PlainTable => ({
  title: `Calculated pattern at ${wavelength.toFixed(5)} Å`,
  columns: ['h', 'k', 'l', '2θ, °', 'd, Å', 'multiplicity', '|F|²', 'I, %'],
  rows: lines.map((r) => [
    ...[r.h, r.k, r.l].map(String),
    r.twoTheta.toFixed(4),
    r.d.toFixed(5),
    String(r.multiplicity),
    r.f2.toFixed(2),
    r.intensity.toFixed(3),
  ]),
  notes: ['Intensities hold multiplicity, Lorentz and polarisation factors; the strongest is 100.'],
});

export const factorTable = (list: readonly StructureFactor[]): PlainTable => ({
  title: 'Structure factors',
  columns: ['h', 'k', 'l', 'd, Å', '|F|, e', 'phase, °'],
  rows: list.map((r) => [...[r.h, r.k, r.l].map(String), r.d.toFixed(5), r.f.toFixed(3), r.phase.toFixed(2)]),
  notes: [],
});

export const layerTable = ({ spots }: ReciprocalLayer, name: string): PlainTable => ({
  title: `Layer ${name}`,
  columns: ['h', 'k', 'l', 'x, Å⁻¹', 'y, Å⁻¹', '|F|, e', ''],
  rows: spots.map((p) => [
    ...p.hkl.map(String),
    p.x.toFixed(5),
    p.y.toFixed(5),
    p.f.toFixed(3),
    p.isForbidden ? 'absent by symmetry' : '',
  ]),
  notes: [],
});

/** Radius of a spot as a share of the greatest, by its |F|: areas go with |F|, so that weak ones still show. */
export const spotSize = (f: number, most: number): number => (most > 0 ? Math.sqrt(f / most) : 0);
