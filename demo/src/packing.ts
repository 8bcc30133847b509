/** Packs rigid made-up molecules in a space group without clashes: simulated annealing of cell, positions and orientations. */
import type { Random } from '@nagare/core/math/random';
import { orthogonalization, cellVolume, type Cell } from '@nagare/core/crystal/cell';
import { allOperators, type SpaceGroup } from '@nagare/core/crystal/space-group';
import { crystalClass, crystalSystem, rotationsOf } from '@nagare/core/crystal/point-group';
import { apply3, eigenSymmetric3, inverse3, multiply3, type Mat3 } from '@nagare/core/math/matrix3';
import { applyOperator, type Operator } from '@nagare/core/crystal/operator';
import { elementOf } from '@nagare/core/crystal/elements';
import { atomVolume } from '@nagare/core/crystal/formula';
import type { Molecule } from './molecule.ts';

interface Body {
  centre: [number, number, number];
  quaternion: number[];
}
interface State {
  cell: Cell;
  bodies: Body[];
}

function rotate(q: readonly number[], v: readonly number[]): [number, number, number] {
  const [w, x, y, z] = q as [number, number, number, number];
  const [a, b, c] = v as [number, number, number];
  const tx = 2 * (y * c - z * b),
    ty = 2 * (z * a - x * c),
    tz = 2 * (x * b - y * a);
  return [a + w * tx + (y * tz - z * ty), b + w * ty + (z * tx - x * tz), c + w * tz + (x * ty - y * tx)];
}

/** Cell lengths and angles that the crystal system ties together (in its usual axes) made to agree. */
function constrain(cell: Cell, system: string, group: SpaceGroup): Cell {
  const { a, b, c, alpha, beta, gamma } = cell;
  if (system === 'triclinic') return cell;
  if (system === 'monoclinic') {
    const axis = group.representatives.find((o) => o.r.some((x, i) => x !== (i % 4 ? 0 : 1)))!.r;
    const unique = [axis[0], axis[4], axis[8]].findIndex(
      (x, i, all) => all.filter((y) => y === x).length === 1 && i >= 0,
    );
    return {
      a,
      b,
      c,
      alpha: unique === 0 ? alpha : 90,
      beta: unique === 1 ? beta : 90,
      gamma: unique === 2 ? gamma : 90,
    };
  }
  if (system === 'orthorhombic') return { a, b, c, alpha: 90, beta: 90, gamma: 90 };
  if (system === 'tetragonal') return { a, b: a, c, alpha: 90, beta: 90, gamma: 90 };
  if (system === 'cubic') return { a, b: a, c: a, alpha: 90, beta: 90, gamma: 90 };
  return { a, b: a, c, alpha: 90, beta: 90, gamma: 120 };
}

export interface Packed {
  cell: Cell;
  /** Fractional x, y, z of every atom of every molecule. */
  fractional: Float64Array[];
  energy: number;
}

/** Hydrogens on N or O, and what accepts them. */
function roles(m: Molecule): { donor: Uint8Array; acceptor: Uint8Array } {
  const donor = new Uint8Array(m.atoms.length),
    acceptor = new Uint8Array(m.atoms.length);
  for (const b of m.bonds) {
    for (const [h, x] of [
      [b.i, b.j],
      [b.j, b.i],
    ] as const)
      if (m.atoms[h]!.element === 'H' && ['N', 'O'].includes(m.atoms[x]!.element)) donor[h] = 1;
  }
  m.atoms.forEach((a, i) => {
    if ((a.element === 'O' && a.charge <= 0) || (a.element === 'N' && a.aromatic && !a.hydrogens)) acceptor[i] = 1;
    // Halide ends of anions accept at a longer distance.
    const partner = m.bonds.find((b) => b.i === i || b.j === i);
    if (
      (a.element === 'Cl' || a.element === 'F') &&
      partner &&
      ['Cu', 'Zn', 'B'].includes(m.atoms[partner.i === i ? partner.j : partner.i]!.element)
    )
      acceptor[i] = a.element === 'Cl' ? 3 : 2;
  });
  return { donor, acceptor };
}

/** Keeps a flat molecule in the plane y = ¼. */
function layDown(b: Body): void {
  b.centre[1] = 0.25;
  const n = Math.hypot(b.quaternion[0]!, b.quaternion[2]!) || 1;
  b.quaternion = [b.quaternion[0]! / n, 0, b.quaternion[2]! / n, 0];
}

/** Coordinates turned so that the plane of the molecule lies in x, z, and pressed into it. */
function flattened(x: Float64Array): Float64Array {
  const t = new Array<number>(9).fill(0);
  for (let i = 0; i < x.length; i += 3)
    for (let p = 0; p < 3; p++) for (let q = 0; q < 3; q++) t[3 * p + q]! += x[i + p]! * x[i + q]!;
  const { vectors } = eigenSymmetric3(t as never);
  // The least extended direction is the normal.
  const [, u, v] = vectors;
  const out = new Float64Array(x.length);
  for (let i = 0; i < x.length; i += 3) {
    const d = [x[i]!, x[i + 1]!, x[i + 2]!] as const;
    out[i] = u[0] * d[0] + u[1] * d[1] + u[2] * d[2];
    out[i + 2] = v[0] * d[0] + v[1] * d[1] + v[2] * d[2];
  }
  return out;
}

/** A rigid molecule about its centre: coordinates in Å, radii and roles of its atoms. */
interface Rigid {
  local: Float64Array;
  radius: number;
  vdw: Float64Array;
  donor: Uint8Array;
  acceptor: Uint8Array;
}

/** Squared best distance (Å²) and half the depth of the well of every pair of atoms of two molecules. */
interface PairTable {
  best2: Float64Array;
  depth: Float64Array;
}

/** How far atoms feel one another, in Å. */
const CUT = 6;
/** Distance at which an acceptor of each kind holds a hydrogen, in Å: oxygen and nitrogen, fluorine, chlorine. */
const ACCEPTED_AT = [1.95, 1.95, 1.98, 2.35];

function pairTable(p: Rigid, q: Rigid, donors: number): PairTable {
  const n = q.vdw.length;
  const best2 = new Float64Array(p.vdw.length * n),
    depth = new Float64Array(best2.length);
  for (let i = 0; i < p.vdw.length; i++)
    for (let j = 0; j < n; j++) {
      const bonding = (p.donor[i] && q.acceptor[j]) || (p.acceptor[i] && q.donor[j]);
      const r0 = bonding ? ACCEPTED_AT[Math.max(p.acceptor[i]!, q.acceptor[j]!)]! : (p.vdw[i]! + q.vdw[j]!) * 1.06;
      best2[i * n + j] = r0 * r0;
      depth[i * n + j] = 0.5 * (bonding ? 4 : p.donor[i] && q.donor[j] ? donors : 0.12);
    }
  return { best2, depth };
}

/** Energy of one molecule at (dx, dy, dz) beside another: wells of every pair of atoms within the cut. */
function pairEnergy(
  A: Float64Array,
  B: Float64Array,
  { best2, depth }: PairTable,
  radiusB: number,
  dx: number,
  dy: number,
  dz: number,
): number {
  const n = B.length / 3;
  // A little more than needed, so that rounding never loses a pair.
  const reach2 = (radiusB + CUT + 1e-6) ** 2;
  let e = 0;
  for (let i = 0; i < A.length / 3; i++) {
    const ax = A[3 * i]! - dx,
      ay = A[3 * i + 1]! - dy,
      az = A[3 * i + 2]! - dz;
    if (ax * ax + ay * ay + az * az > reach2) continue;
    for (let j = 0; j < n; j++) {
      const ex = ax - B[3 * j]!,
        ey = ay - B[3 * j + 1]!,
        ez = az - B[3 * j + 2]!;
      const r2 = ex * ex + ey * ey + ez * ez;
      if (r2 > CUT * CUT) continue;
      const r02 = best2[i * n + j]!;
      const t = r02 / Math.max(r2, 0.25 * r02);
      const t3 = t * t * t;
      e += depth[i * n + j]! * (t3 * t3 - 2 * t3);
    }
  }
  return e;
}

/** The rotation of an operator in Cartesian axes, M R M⁻¹. */
const cartesianRotation = (M: Mat3, R: Mat3, inverse: Mat3): Mat3 => multiply3(multiply3(M, R), inverse);

/** Molecules turned as their bodies are, about their centres: Cartesian coordinates in Å. */
function turnedBodies(s: State, bodies: readonly Rigid[]): Float64Array[] {
  return s.bodies.map((b, k) => {
    const { local } = bodies[k]!;
    const out = new Float64Array(local.length);
    for (let i = 0; i < out.length; i += 3) out.set(rotate(b.quaternion, [local[i]!, local[i + 1]!, local[i + 2]!]), i);
    return out;
  });
}

function turnedBy(C: Mat3, xyz: Float64Array): Float64Array {
  const out = new Float64Array(xyz.length);
  for (let i = 0; i < xyz.length; i += 3) out.set(apply3(C, [xyz[i]!, xyz[i + 1]!, xyz[i + 2]!]), i);
  return out;
}

/** Energy of a packing in the units of the wells: wells of all pairs of atoms, and what the volume costs. */
function packingEnergy(
  s: State,
  bodies: readonly Rigid[],
  pairs: readonly (readonly PairTable[])[],
  operators: readonly Operator[],
  expected: number,
): number {
  const M = orthogonalization(s.cell),
    volume = cellVolume(s.cell);
  const inverse = inverse3(M);
  const world = turnedBodies(s, bodies);
  let e = 0;
  for (let q = 0; q < s.bodies.length; q++)
    for (let o = 0; o < operators.length; o++) {
      const op = operators[o]!;
      const y = applyOperator(op, s.bodies[q]!.centre);
      let turned: Float64Array | undefined;
      for (let p = 0; p < s.bodies.length; p++) {
        const x = s.bodies[p]!.centre;
        const reach = bodies[p]!.radius + bodies[q]!.radius + CUT;
        const base = [0, 1, 2].map((i) => Math.round(x[i]! - y[i]!));
        const range = [s.cell.a, s.cell.b, s.cell.c].map((len) => Math.min(2, Math.ceil((reach * 1.15) / len)));
        for (let u = -range[0]!; u <= range[0]!; u++)
          for (let v = -range[1]!; v <= range[1]!; v++)
            for (let w = -range[2]!; w <= range[2]!; w++) {
              const d = [y[0] + base[0]! + u - x[0]!, y[1] + base[1]! + v - x[1]!, y[2] + base[2]! + w - x[2]!];
              const dx = M[0] * d[0]! + M[1] * d[1]! + M[2] * d[2]!,
                dy = M[4] * d[1]! + M[5] * d[2]!,
                dz = M[8] * d[2]!;
              const far = dx * dx + dy * dy + dz * dz;
              if (far > reach * reach || (p === q && o === 0 && far < 1e-6)) continue;
              turned ??= turnedBy(cartesianRotation(M, op.r, inverse), world[q]!);
              e += pairEnergy(world[p]!, turned, pairs[p]![q]!, bodies[q]!.radius, dx, dy, dz);
            }
      }
    }
  const density = volume / expected;
  return e + 6 * bodies.length * Math.max(0, density - 1.05) * 10 + (0.0006 * volume) / operators.length;
}

/** How deep the well of two hydrogens of donors is: what keeps them apart with it. */
const DONORS = 0.01;

/** Finds a packing; `steps` moves of annealing, `trials` independent runs of which the best is kept. With `flat`, planar molecules stay at y = ¼ and turn about b only; `donors` keeps hydrogens of donors apart as other atoms are. */
export function pack(
  molecules: readonly Molecule[],
  group: SpaceGroup,
  random: Random,
  steps = 9000,
  trials = 3,
  flat = false,
  donors = DONORS,
): Packed {
  const system = crystalSystem(crystalClass(rotationsOf(group)));
  const operators = allOperators(group);
  const bodies = molecules.map((m): Rigid => {
    const n = m.atoms.length;
    const c = [0, 1, 2].map((k) => m.xyz.reduce((s, x, i) => (i % 3 === k ? s + x / n : s), 0));
    const centred = Float64Array.from(m.xyz, (x, i) => x - c[i % 3]!);
    const local = flat ? flattened(centred) : centred;
    let radius = 0;
    for (let i = 0; i < n; i++)
      radius = Math.max(radius, Math.hypot(local[3 * i]!, local[3 * i + 1]!, local[3 * i + 2]!));
    return {
      local,
      radius,
      vdw: Float64Array.from(m.atoms, (a) => (a.element === 'H' ? 1.2 : elementOf(a.element).vdwRadius)),
      ...roles(m),
    };
  });
  const expected =
    molecules.reduce((sum, m) => sum + m.atoms.reduce((v, a) => v + atomVolume(a.element), 0), 0) * operators.length;
  const pairs = bodies.map((p) => bodies.map((q) => pairTable(p, q, donors)));
  const energyOf = (s: State): number => packingEnergy(s, bodies, pairs, operators, expected);
  let best: Packed | undefined;
  const quaternion = (): number[] => {
    const q = [random.normal(), random.normal(), random.normal(), random.normal()];
    const n = Math.hypot(...q);
    return q.map((x) => x / n);
  };
  for (let trial = 0; trial < trials; trial++) {
    const edge = Math.cbrt(expected * 1.6);
    let state: State = {
      cell: constrain(
        {
          a: edge * (0.75 + 0.5 * random.next()),
          b: edge * (0.75 + 0.5 * random.next()),
          c: edge * (0.75 + 0.5 * random.next()),
          alpha: 85 + 20 * random.next(),
          beta: 93 + 20 * random.next(),
          gamma: 85 + 20 * random.next(),
        },
        system,
        group,
      ),
      bodies: bodies.map(() => ({ centre: [random.next(), random.next(), random.next()], quaternion: quaternion() })),
    };
    {
      const f = Math.cbrt((expected * 1.7) / cellVolume(state.cell));
      state.cell = constrain(
        { ...state.cell, a: state.cell.a * f, b: state.cell.b * f, c: state.cell.c * f },
        system,
        group,
      );
    }
    if (flat) for (const b of state.bodies) layDown(b);
    let e = energyOf(state);
    let size = 1;
    for (let step = 0; step < steps; step++) {
      const temperature = 8 * Math.exp((-5.5 * step) / steps);
      const next: State = {
        cell: state.cell,
        bodies: state.bodies.map((b) => ({ centre: [...b.centre], quaternion: [...b.quaternion] })),
      };
      const kind = random.next();
      if (kind < 0.35) {
        const c = { ...next.cell };
        const what = random.below(system === 'triclinic' ? 6 : system === 'monoclinic' ? 4 : 3);
        if (what < 3) c[(['a', 'b', 'c'] as const)[what]!] *= Math.exp(0.04 * size * random.normal());
        else
          for (const angle of system === 'monoclinic'
            ? (['alpha', 'beta', 'gamma'] as const)
            : [(['alpha', 'beta', 'gamma'] as const)[what - 3]!])
            c[angle] = Math.max(72, Math.min(118, c[angle] + 2 * size * random.normal()));
        next.cell = constrain(c, system, group);
        if (Math.min(next.cell.a, next.cell.b, next.cell.c) < 4.5) continue;
      } else {
        const b = next.bodies[random.below(next.bodies.length)]!;
        if (kind < 0.68)
          for (let k = 0; k < 3; k++)
            b.centre[k]! += (0.5 * size * random.normal()) / [next.cell.a, next.cell.b, next.cell.c][k]!;
        else {
          const q = b.quaternion.map((x) => x + 0.12 * size * random.normal());
          const n = Math.hypot(...q);
          b.quaternion = q.map((x) => x / n);
        }
      }
      if (flat) for (const b of next.bodies) layDown(b);
      const f = energyOf(next);
      if (f < e || random.next() < Math.exp((e - f) / temperature)) {
        state = next;
        e = f;
        size = Math.min(1.5, size * 1.04);
      } else size = Math.max(0.02, size * 0.985);
    }
    if (!best || e < best.energy) {
      const inv = inverse3(orthogonalization(state.cell));
      best = {
        cell: state.cell,
        energy: e,
        fractional: state.bodies.map((b, k) => {
          const out = new Float64Array(bodies[k]!.local.length);
          for (let i = 0; i < out.length; i += 3) {
            const r = rotate(b.quaternion, [bodies[k]!.local[i]!, bodies[k]!.local[i + 1]!, bodies[k]!.local[i + 2]!]);
            for (let j = 0; j < 3; j++)
              out[i + j] = inv[3 * j]! * r[0] + inv[3 * j + 1]! * r[1] + inv[3 * j + 2]! * r[2] + b.centre[j]!;
          }
          return out;
        }),
      };
    }
  }
  return best!;
}
