/** What the sheet of empty space says. */
import type { SceneColours } from '@nagare/core/draw/colours';
import type { Layer } from '@nagare/core/draw/scene';
import type { Surface } from '@nagare/core/maps/isosurface';
import type { PlainTable } from '@nagare/core/publish/tables';
import type { VoidNetwork } from '@nagare/core/space/network';
import { guestOf, poreSizes, type Void, type VoidCurve } from '@nagare/core/space/voids';
import type { VoidFigures } from '@nagare/core/tasks/voids-task';

const percent = (part: number, whole: number): string => {
  const x = (100 * part) / whole;
  return `${x.toFixed(x < 9.95 ? 1 : 0)} %`;
};

const row = (v: readonly number[]): string => `[${v.join(' ')}]`;

export function kindWords({ kind, directions }: Pick<Void, 'kind' | 'directions'>): string {
  switch (kind) {
    case 'closed':
      return 'closed';
    case 'channel':
      return `channel along ${row(directions[0]!)}`;
    case 'layer':
      return `layer with ${directions.map(row).join(' and ')}`;
    case 'everywhere':
      return 'open in all directions';
  }
}

/** What there is at this probe; where there is nothing, from where on there is something. */
export function voidState(f: VoidFigures, curve: VoidCurve): string {
  if (f.voids.length) {
    const [first] = f.voids;
    const what = f.voids.length === 1 ? kindWords(first!) : `${f.voids.length} voids`;
    return `${percent(f.touched, f.cell)} of the cell, ${f.touched.toFixed(0)} Å³, for a probe of ${f.probe.toFixed(2)} Å: ${what}.`;
  }
  // Where a little less would do: what the curve has there.
  const below = curve.points.filter((p) => p.radius <= 0.9 * curve.largest).at(-1);
  if (!below || !(below.touched > 0)) return `Nothing for a probe of ${f.probe.toFixed(2)} Å, nor for any other.`;
  return `Nothing for a probe of ${f.probe.toFixed(2)} Å. The largest that fits has ${curve.largest.toFixed(2)} Å; one of ${below.radius.toFixed(2)} Å touches ${percent(below.touched, f.cell)}.`;
}

/** Voids that symmetry makes alike, as one with its number; `electrons` are those of all of them. */
export function alike(
  list: readonly Void[],
  electrons?: readonly (number | null)[],
): { readonly of: Void; readonly count: number; readonly electrons?: number }[] {
  const key = (v: Void): string => `${kindWords(v)} ${v.touched.toFixed(0)} ${v.sphere.toFixed(2)}`;
  const out = new Map<string, { of: Void; count: number; electrons?: number }>();
  list.forEach((v, i) => {
    const known = out.get(key(v)) ?? { of: v, count: 0 };
    known.count++;
    const inside = electrons?.[i];
    if (typeof inside === 'number') known.electrons = (known.electrons ?? 0) + inside;
    out.set(key(v), known);
  });
  return [...out.values()];
}

export const guestWords = (v: Void): string => guestOf(v)?.name ?? '–';

export function voidTable(f: VoidFigures, electrons?: readonly (number | null)[]): PlainTable {
  return {
    title: `Empty space for a probe of ${f.probe.toFixed(2)} Å`,
    columns: [
      'void',
      'touched, Å³',
      '%',
      'reached, Å³',
      'largest sphere, Å',
      'passes, Å',
      'x',
      'y',
      'z',
      'room for',
      ...(electrons ? ['electrons'] : []),
    ],
    rows: f.voids.map((v, i) => [
      kindWords(v),
      v.touched.toFixed(1),
      ((100 * v.touched) / f.cell).toFixed(2),
      v.reached.toFixed(1),
      v.sphere.toFixed(2),
      v.window === undefined ? '' : v.window.toFixed(2),
      ...v.centre.map((x) => x.toFixed(4)),
      guestWords(v),
      ...(electrons ? [electrons[i]?.toFixed(1) ?? ''] : []),
    ]),
    notes: [
      `Atoms fill ${(100 * f.packing).toFixed(1)} % of the cell by their van der Waals spheres; volumes are of one cell.`,
    ],
  };
}

export function curveTable(curve: VoidCurve): PlainTable {
  return {
    title: 'Volume against the radius of the probe',
    columns: ['probe, Å', 'reached, Å³', 'touched, Å³'],
    rows: curve.points.map((p) => [p.radius.toFixed(3), p.reached.toFixed(2), p.touched.toFixed(2)]),
    notes: [],
  };
}

/** Gold towards the atoms, water within. */
export const voidLayers = (surface: Surface, colours: SceneColours): Layer[] => [
  {
    kind: 'surfaces',
    name: 'pores',
    items: [{ ...surface, colour: colours.gold, inside: colours.water, opacity: 0.62, mesh: 0 }],
  },
];

/** Chambers and ways of a network, those of one size together. */
export function networkWords({ chambers, ways }: VoidNetwork): string {
  const counted = (list: readonly { diameter: number }[]): string => {
    const by = new Map<string, number>();
    for (const { diameter } of list) by.set(diameter.toFixed(2), (by.get(diameter.toFixed(2)) ?? 0) + 1);
    const sizes = [...by].sort(([p], [q]) => Number(q) - Number(p));
    const first = sizes.slice(0, 4).map(([size, count]) => `${count} of ${size} Å`);
    return [...first, ...(sizes.length > 4 ? [`${sizes.length - 4} other sizes`] : [])].join(', ');
  };
  if (!chambers.length) return 'No chamber is large enough.';
  return `Chambers: ${counted(chambers)}. ${ways.length ? `Ways: ${counted(ways)}.` : 'No way leads from one to another.'}`;
}

export const networkTable = ({ chambers, ways }: VoidNetwork, probe: number): PlainTable => ({
  title: `Free ways for a probe of ${probe.toFixed(2)} Å`,
  columns: ['what', 'from', 'to', 'cells', 'x', 'y', 'z', 'diameter, Å'],
  rows: [
    ...chambers.map((c, i) => [
      'chamber',
      String(i + 1),
      '',
      '',
      ...c.at.map((x) => x.toFixed(4)),
      c.diameter.toFixed(3),
    ]),
    ...ways.map((w) => [
      'way',
      String(w.from + 1),
      String(w.to + 1),
      w.over.join(' '),
      ...w.at.map((x) => x.toFixed(4)),
      w.diameter.toFixed(3),
    ]),
  ],
  notes: [
    'Diameters of the largest sphere that rests in a chamber and that passes a way, between van der Waals spheres.',
  ],
});

export const sizeTable = (curve: VoidCurve): PlainTable => ({
  title: 'Pore sizes',
  columns: ['diameter from, Å', 'to, Å', 'volume, Å³'],
  rows: poreSizes(curve).map((p) => [p.from.toFixed(3), p.to.toFixed(3), p.volume.toFixed(2)]),
  notes: ['Space by the diameter of the largest ball that fits over it; of one cell.'],
});
