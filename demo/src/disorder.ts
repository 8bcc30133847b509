/** Second places for the demo crystals: a copy of some atoms turned so that it fits the same hole, beside ready-made ions. */
import { isHome } from '@nagare/core/crystal/atom-ref';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { elementOf } from '@nagare/core/crystal/elements';
import { neighbours } from '@nagare/core/crystal/neighbours';
import { displacementToCartesian, type AnisotropicU, type Site, type Structure } from '@nagare/core/crystal/structure';
import {
  add,
  apply3,
  inverse3,
  multiply3,
  norm,
  normalize,
  subtract,
  transpose3,
  turn,
  type Mat3,
  type Vec3,
  toMat3,
} from '@nagare/core/math/matrix3';
import { middle, rotationOfQuaternion } from '@nagare/core/math/superpose';
import type { Random } from '@nagare/core/math/random';
import { reciprocalLengths } from '@nagare/core/crystal/cell';
import type { Molecule } from './molecule.ts';

export interface DisorderRecipe {
  /** Which molecule of the recipe. */
  molecule: number;
  /** Atom numbers within it (line-notation order) that have a second place; their hydrogens follow. All when left out. */
  atoms?: number[];
  /** Turned about this bond by an angle in degrees; otherwise anywhere that fits. */
  about?: [number, number];
  degrees?: number;
  /** Occupancy of the first place. */
  share: number;
  assembly: string;
}

/** Flattened tetrachlorocuprate, as its crystals often hold it. */
export function cuprate(): Molecule {
  const d = 2.245,
    half = (136 * Math.PI) / 360;
  const xyz = [0, 0, 0];
  for (const [s, plane] of [
    [1, 0],
    [-1, 0],
    [1, 1],
    [-1, 1],
  ] as const) {
    const z = (plane ? -1 : 1) * d * Math.cos(half),
      r = s * d * Math.sin(half);
    xyz.push(plane ? 0 : r, plane ? r : 0, z);
  }
  const atom = (element: string, charge: number): Molecule['atoms'][number] => ({
    element,
    aromatic: false,
    hydrogens: 0,
    charge,
  });
  return {
    atoms: [atom('Cu', 2), ...[0, 1, 2, 3].map(() => atom('Cl', -1))],
    bonds: [1, 2, 3, 4].map((j) => ({ i: 0, j, order: 1 })),
    xyz: Float64Array.from(xyz),
  };
}

/** Adds the second place of a recipe; `first` is the index of the molecule's first site. */
export function withSecondPlace(
  s: Structure,
  molecule: Molecule,
  first: number,
  recipe: DisorderRecipe,
  random: Random,
): Structure {
  const chosen = new Set(recipe.atoms ?? molecule.atoms.map((_, i) => i));
  for (const b of molecule.bonds)
    for (const [p, q] of [
      [b.i, b.j],
      [b.j, b.i],
    ] as const)
      if (chosen.has(p) && molecule.atoms[q]!.element === 'H') chosen.add(q);
  const sites = [...chosen].sort((p, q) => p - q).map((i) => first + i);
  const m = orthogonalization(s.cell),
    inverse = inverse3(m);
  const x = sites.map((i) => apply3(m, s.sites[i]!.position));
  const centre = middle(x);
  const set = new Set(sites);
  const near = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((y) => y.position),
    8,
    sites,
  ).filter((n) => !(n.to >= first && n.to < first + molecule.atoms.length && isHome(n)));
  const around = [...new Map(near.map((n) => [n.position.map((v) => v.toFixed(3)).join(), n])).values()].map((n) => ({
    p: apply3(m, n.position),
    r: elementOf(s.sites[n.to]!.element).vdwRadius,
  }));
  const strain = (y: readonly Vec3[]): number =>
    y.reduce(
      (sum, p, k) =>
        sum +
        around.reduce(
          (t, o) =>
            t +
            Math.max(0, 0.84 * (o.r + elementOf(s.sites[sites[k]!]!.element).vdwRadius) - norm(subtract(p, o.p))) ** 2,
          0,
        ),
      0,
    );
  const heavy = sites.map((_, k) => k).filter((k) => s.sites[sites[k]!]!.element !== 'H');
  const apart = (y: readonly Vec3[]): number =>
    heavy.reduce((sum, k) => sum + Math.min(...heavy.map((j) => norm(subtract(y[k]!, x[j]!)))), 0) / heavy.length;
  let best: { y: Vec3[]; cost: number; rotation: Mat3 } | undefined;
  const offer = (rotation: Mat3, about: Vec3, shift: Vec3): void => {
    const y = x.map((p) => add(add(about, apply3(rotation, subtract(p, about))), shift));
    const cost = strain(y) + 40 * Math.max(0, (recipe.about ? 0 : 0.75) - apart(y)) ** 2;
    if (!best || cost < best.cost) best = { y, cost, rotation };
  };
  if (recipe.about) {
    const [p, q] = recipe.about.map((i) => apply3(m, s.sites[first + i]!.position)) as [Vec3, Vec3];
    const axis = normalize(subtract(q, p));
    for (let wobble = 0; wobble < 60; wobble++) {
      const angle = ((recipe.degrees! + 6 * random.normal()) * Math.PI) / 180;
      const columns = (
        [
          [1, 0, 0],
          [0, 1, 0],
          [0, 0, 1],
        ] as Vec3[]
      ).map((v) => turn(v, axis, angle));
      offer(transpose3(toMat3(columns.flat())), q, [0, 0, 0]);
    }
  } else
    for (let attempt = 0; attempt < 60000; attempt++) {
      const q = [random.normal(), random.normal(), random.normal(), random.normal()];
      const size = Math.hypot(...q);
      offer(rotationOfQuaternion(q.map((v) => v / size) as [number, number, number, number]), centre, [
        0.25 * random.normal(),
        0.25 * random.normal(),
        0.25 * random.normal(),
      ]);
    }
  const gs = reciprocalLengths(s.cell);
  const toCif = inverse3(multiply3(m, [gs[0], 0, 0, 0, gs[1], 0, 0, 0, gs[2]]));
  const taken = new Set(s.sites.map((y) => y.label));
  const copies = sites.map((i, k): Site => {
    const site = s.sites[i]!;
    let label = `${site.label}B`;
    while (taken.has(label)) label += 'B';
    taken.add(label);
    let displacement = site.displacement;
    if (displacement.kind === 'aniso') {
      const turned = multiply3(
        best!.rotation,
        multiply3(displacementToCartesian(s.cell, displacement.u), transpose3(best!.rotation)),
      );
      const u = multiply3(toCif, multiply3(turned, transpose3(toCif)));
      displacement = { kind: 'aniso', u: [u[0], u[4], u[8], u[1], u[2], u[5]] as AnisotropicU };
    }
    return {
      ...site,
      id: `d${site.id}`,
      label,
      position: apply3(inverse, best!.y[k]!),
      occupancy: 1 - recipe.share,
      disorder: { assembly: recipe.assembly, group: '2' },
      displacement,
    };
  });
  process.stdout.write(
    `  second place in ${recipe.assembly}: strain ${best!.cost.toFixed(2)}, ${apart(best!.y).toFixed(2)} Å apart\n`,
  );
  return {
    ...s,
    sites: [
      ...s.sites.map((y, i) =>
        set.has(i) ? { ...y, occupancy: recipe.share, disorder: { assembly: recipe.assembly, group: '1' } } : y,
      ),
      ...copies,
    ],
  };
}
