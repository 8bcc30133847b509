/** Demo sets that come as a model with its data: a non-standard setting, two missed symmetries, planted faults. What was hidden in each is its truth. */
import { cellParameters, orthogonalization, type Cell } from '@nagare/core/crystal/cell';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { allOperators, spaceGroupFromOperators } from '@nagare/core/crystal/space-group';
import { nameGroup } from '@nagare/core/crystal/identify';
import { isotropicTensor, type Site, type Structure } from '@nagare/core/crystal/structure';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { apply3, inverse3, multiply3, type Mat3, type Vec3, toVec3, toMat3 } from '@nagare/core/math/matrix3';
import type { Random } from '@nagare/core/math/random';
import { changeStructure, describeIn, type AxesChange } from '@nagare/core/symmetry/change-setting';
import { settingsOf } from '@nagare/core/symmetry/settings-of';
import { moveSite } from '@nagare/core/geometry/bonds';
import { buildMolecule } from './molecule.ts';
import { pack } from './packing.ts';
import { crystalSites, measure, withSu, type Measurement } from './simulate.ts';
import { closestContact } from './test-crystals.ts';

export interface ModelSet {
  /** What the person is given. */
  model: Structure;
  /** What it really is. */
  truth: Structure;
  raw: RawReflections;
}

const rounded = (x: number, d: number): number => Number(x.toFixed(d));
export const tidyCell = (c: Cell): Cell =>
  withSu({
    a: rounded(c.a, 4),
    b: rounded(c.b, 4),
    c: rounded(c.c, 4),
    alpha: rounded(c.alpha, 3),
    beta: rounded(c.beta, 3),
    gamma: rounded(c.gamma, 3),
  });

/** A refined model is never quite the truth: coordinates and displacements a few s.u. off. */
export function shaken(s: Structure, random: Random, position: number, displacement: number): Structure {
  const lengths = [s.cell.a, s.cell.b, s.cell.c];
  return {
    ...s,
    sites: s.sites.map((x) => ({
      ...x,
      position: toVec3(x.position.map((v, i) => v + (position * random.normal()) / lengths[i]!)),
      displacement:
        x.displacement.kind === 'iso'
          ? x.displacement
          : { kind: 'aniso' as const, u: x.displacement.u.map((v) => v + displacement * random.normal()) as never },
    })),
  };
}

/** Molecules packed in a group, with the displacements of a temperature. */
export function packed(lines: readonly string[], symbol: string, random: Random, temperature: number): Structure {
  const group = spaceGroupFromSymbol(symbol);
  const molecules = lines.map((l) => buildMolecule(l, random));
  let p = pack(molecules, group, random, 16000, 2);
  for (let n = 0; n < 4 && closestContact(crystalSites(molecules, p, group, random)) < 1.8; n++)
    p = pack(molecules, group, random, 16000, 2);
  p.cell = tidyCell(p.cell);
  return crystalSites(molecules, p, group, random, temperature / 150);
}

/** A model refined in I2/a, where C2/c is the standard. */
export function bodyCentred(random: Random, m: Measurement): ModelSet {
  const truth = packed(['Cc1cc(O)cc(c1)C(=O)NCc1ccccn1'], 'I 1 2/a 1', random, 150);
  return { truth, model: shaken(truth, random, 0.002, 0.0008), raw: measure(truth, m, random) };
}

/** Flat molecules on the mirrors of Pnma; the model treats them in Pna2₁, where the mirror is missing. */
export function withoutMirror(random: Random, m: Measurement): ModelSet {
  const half = spaceGroupFromSymbol('P n 21 a');
  const molecule = buildMolecule('Clc1ccc(C#N)c(Cl)c1', random, 6);
  const flat = pack([molecule], half, random, 16000, 3, true);
  // Flat layers are stacked no nearer than rings are.
  flat.cell = tidyCell({ ...flat.cell, b: Math.max(6.7, flat.cell.b) });
  // Exactly on the mirror at y = 1/4.
  for (const f of flat.fractional) for (let i = 1; i < f.length; i += 3) f[i] = 0.25;
  const drawn = crystalSites([molecule], flat, half, random, 1);
  const truth: Structure = {
    ...drawn,
    spaceGroup: spaceGroupFromSymbol('P n m a'),
    sites: drawn.sites.map((x) => ({
      ...x,
      position: [x.position[0], 0.25, x.position[2]],
      displacement:
        x.displacement.kind === 'iso'
          ? x.displacement
          : {
              kind: 'aniso',
              u: [x.displacement.u[0], x.displacement.u[1], x.displacement.u[2], 0, x.displacement.u[4], 0],
            },
    })),
  };
  const polar = describeIn(
    { ...truth, spaceGroup: half },
    { p: [1, 0, 0, 0, 0, 1, 0, -1, 0], origin: [0, 0, 0] },
    nameGroup(spaceGroupFromOperators(allOperators(half).map((o) => turned(o)))),
  );
  // The polar origin is wherever the refinement left it.
  const moved = describeIn(polar, { p: [1, 0, 0, 0, 1, 0, 0, 0, 1], origin: [0, 0, -0.131] }, polar.spaceGroup);
  const standard = changeStructure(moved, standardChange(moved));
  return { truth, model: shaken(standard, random, 0.035, 0.002), raw: measure(standard, m, random) };
}

const TURN: Mat3 = [1, 0, 0, 0, 0, 1, 0, -1, 0];
const turned = (o: { r: Mat3; t: Vec3 }): { r: Mat3; t: Vec3 } => {
  const q = inverse3(TURN);
  return { r: toMat3(multiply3(q, multiply3(o.r, TURN)).map((x) => Math.round(x) + 0)), t: apply3(q, o.t) };
};
const standardChange = (s: Structure): AxesChange => {
  const c = settingsOf(s.cell, s.spaceGroup);
  return c.find((x) => x.standard)!.change;
};

/** P-1 with two molecules that nearly repeat after half of a; the model has all four molecules of the cell in P1, about an arbitrary origin. */
export function withoutCentre(random: Random, m: Measurement): ModelSet {
  const single = packed(['Oc1ccc(cc1)N=Nc1ccc(Cl)cc1'], 'P -1', random, 150);
  const cell = tidyCell({ ...single.cell, a: 2 * single.cell.a });
  const lengths = [cell.a, cell.b, cell.c];
  const first = single.sites.map((x): Site => ({ ...x, position: [x.position[0] / 2, x.position[1], x.position[2]] }));
  const middle = [0, 1, 2].map((k) => first.reduce((sum, x) => sum + x.position[k]!, 0) / first.length);
  // The second molecule is shifted and swung a little, so that the repeat is only nearly one.
  const second = first.map((x, i): Site => {
    const d = x.position.map((v, k) => (v - middle[k]!) * lengths[k]!) as [number, number, number];
    const swing = 0.045;
    const y = [d[0] + 0.09, d[1] - swing * d[2] + 0.05, d[2] + swing * d[1] - 0.06];
    return {
      ...x,
      id: `u${i}`,
      label: `${x.label}B`,
      position: [
        middle[0]! + y[0]! / lengths[0]! + 0.5,
        middle[1]! + y[1]! / lengths[1]!,
        middle[2]! + y[2]! / lengths[2]!,
      ],
    };
  });
  const truth: Structure = { cell, spaceGroup: spaceGroupFromSymbol('P -1'), sites: [...first, ...second] };
  const all = [
    ...truth.sites,
    ...truth.sites.map((x, i) => ({
      ...moveSite(truth, x, { r: [-1, 0, 0, 0, -1, 0, 0, 0, -1], t: [1, 1, 1] }),
      id: `v${i}`,
      label: `${x.label}C`,
    })),
  ];
  const p1: Structure = {
    cell,
    spaceGroup: spaceGroupFromSymbol('P 1'),
    sites: all.map((x) => ({ ...x, position: [x.position[0] + 0.061, x.position[1] - 0.113, x.position[2] + 0.207] })),
  };
  return { truth, model: shaken(p1, random, 0.03, 0.0015), raw: measure(p1, m, random) };
}

/** A sound model with five faults planted in it: a wrong element, a missing hydrogen, an impossible ellipsoid, a short contact, a wrong formula. */
export function withFaults(random: Random, m: Measurement): ModelSet & { faults: Record<string, string> } {
  const truth = packed(['COc1ccc(cc1)C(=O)NCCO', 'O'], 'P 1 21/c 1', random, 150);
  const model = shaken(truth, random, 0.002, 0.0006);
  const sites = [...model.sites];
  const at = (test: (x: Site, i: number) => boolean): number => sites.findIndex(test);
  const nitrogen = at((x) => x.element === 'N');
  sites[nitrogen] = {
    ...sites[nitrogen]!,
    element: 'O',
    label: 'O9',
    displacement: { kind: 'aniso', u: isotropicTensor(model.cell, 0.045) },
  };
  const ring = at((x) => x.label === 'C4');
  const u = (sites[ring]!.displacement as { u: readonly number[] }).u;
  sites[ring] = {
    ...sites[ring]!,
    displacement: { kind: 'aniso', u: [u[0]!, -0.012, u[2]!, u[3]!, u[4]!, u[5]!] as never },
  };
  // A hydrogen of a ring carbon is left out.
  const ringHydrogen = nearestHydrogen(sites, model.cell, sites[at((x) => x.label === 'C3')]!);
  const missing = sites.splice(ringHydrogen, 1)[0]!;
  // The hydroxyl hydrogen is turned on to the hydrogen of a neighbour.
  const clash = plantContact(sites, model);
  return {
    truth,
    model: { ...model, sites },
    raw: measure(truth, m, random),
    faults: { element: 'O9', missing: missing.label, ellipsoid: 'C4', contact: clash, formula: 'C10 H14 N2 O4' },
  };
}

function nearestHydrogen(sites: readonly Site[], cell: Cell, to: Site): number {
  const lengths = cellParameters(cell);
  let best = -1,
    least = Infinity;
  sites.forEach((x, i) => {
    if (x.element !== 'H') return;
    const d = Math.hypot(...x.position.map((v, k) => (v - to.position[k]!) * lengths[k]!));
    if (d < least) {
      least = d;
      best = i;
    }
  });
  return best;
}

/** Moves a water hydrogen so that it points at the nearest other hydrogen, 1.5 Å from it. */
function plantContact(sites: Site[], s: Structure): string {
  const water = sites.filter((x) => x.element === 'O').at(-1)!;
  const g = s.cell;
  const i = nearestHydrogen(sites, g, water);
  const operators = allOperators(s.spaceGroup);
  const m = orthogonalization(g),
    inverse = inverse3(m);
  const o = apply3(m, water.position);
  let best: { d: number; v: Vec3 } | undefined;
  for (const x of sites) {
    if (x.element !== 'H' || x === sites[i]) continue;
    for (const op of operators)
      for (let a = -1; a <= 1; a++)
        for (let b = -1; b <= 1; b++)
          for (let c = -1; c <= 1; c++) {
            const r = apply3(op.r, x.position);
            const y = apply3(m, [r[0] + op.t[0] + a, r[1] + op.t[1] + b, r[2] + op.t[2] + c]);
            const v: Vec3 = [y[0] - o[0], y[1] - o[1], y[2] - o[2]],
              d = Math.hypot(...v);
            if (d > 1.6 && (!best || d < best.d)) best = { d, v };
          }
  }
  const k = 0.84 / best!.d;
  const h = sites[i]!;
  sites[i] = { ...h, position: apply3(inverse, [o[0] + k * best!.v[0], o[1] + k * best!.v[1], o[2] + k * best!.v[2]]) };
  return h.label;
}
