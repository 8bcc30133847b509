/** Made-up molecules: a line notation to a graph with hydrogens, and a plain force field that gives it a sensible shape. */
import type { Random } from '@nagare/core/math/random';
import { elementOf } from '@nagare/core/crystal/elements';

export interface Atom {
  element: string;
  aromatic: boolean;
  hydrogens: number;
  charge: number;
}

export interface Bond {
  i: number;
  j: number;
  order: number;
}

export interface Molecule {
  atoms: Atom[];
  bonds: Bond[];
  /** Cartesian x, y, z of each atom, Å. */
  xyz: Float64Array;
}

const VALENCE: Record<string, number> = { C: 4, N: 3, O: 2, S: 2, F: 1, Cl: 1, Br: 1, I: 1, P: 3, B: 3 };

/** Reads the usual line notation (organic subset, brackets with H count and charge, branches, ring closures, double and triple bonds) and adds hydrogens as atoms. */
export function moleculeGraph(line: string): { atoms: Atom[]; bonds: Bond[] } {
  const atoms: (Atom & { fixed?: number })[] = [];
  const bonds: Bond[] = [];
  const stack: number[] = [];
  const rings = new Map<string, { atom: number; order: number }>();
  let previous = -1,
    order = 0;
  const pattern = /\[([A-Za-z][a-z]?)@*(H\d?)?([+-]\d?)?\]|(Cl|Br|[BCNOPSFIbcnops])|([-=#])|(\()|(\))|(\d)/g;
  for (const m of line.matchAll(pattern)) {
    if (m[1] || m[4]) {
      const text = (m[1] ?? m[4])!;
      const aromatic = /^[bcnops]/.test(text);
      atoms.push({
        element: text[0]!.toUpperCase() + text.slice(1),
        aromatic,
        hydrogens: 0,
        charge: m[3] ? Number(m[3].length > 1 ? m[3] : `${m[3]}1`) : 0,
        ...(m[1] ? { fixed: m[2] ? Number(m[2].slice(1) || 1) : 0 } : {}),
      });
      const here = atoms.length - 1;
      if (previous >= 0)
        bonds.push({ i: previous, j: here, order: order || (aromatic && atoms[previous]!.aromatic ? 1.5 : 1) });
      previous = here;
      order = 0;
    } else if (m[5]) order = { '-': 1, '=': 2, '#': 3 }[m[5]]!;
    else if (m[6]) stack.push(previous);
    else if (m[7]) previous = stack.pop()!;
    else if (m[8]) {
      const open = rings.get(m[8]);
      if (open) {
        bonds.push({
          i: open.atom,
          j: previous,
          order: order || open.order || (atoms[open.atom]!.aromatic && atoms[previous]!.aromatic ? 1.5 : 1),
        });
        rings.delete(m[8]);
      } else rings.set(m[8], { atom: previous, order });
      order = 0;
    }
  }
  const heavy = atoms.length;
  // A single bond joins two rings rather than an aromatic one: rings are found by whether the bond can be avoided.
  for (const b of bonds) if (b.order === 1.5 && !inRing(bonds, b, heavy)) b.order = 1;
  for (let i = 0; i < heavy; i++) {
    const a = atoms[i]!;
    const used = bonds.filter((b) => b.i === i || b.j === i).reduce((s, b) => s + b.order, 0);
    const sulfurHigh = a.element === 'S' && used > 2;
    const valence = sulfurHigh
      ? Math.ceil(used)
      : (VALENCE[a.element] ?? 0) + (a.element === 'N' ? a.charge : -Math.abs(a.charge));
    const n =
      a.fixed ??
      Math.max(
        0,
        Math.round(valence - (a.aromatic ? Math.floor(used + 0.01) + (a.element === 'C' && used % 1 ? 0 : 0) : used)),
      );
    a.hydrogens =
      a.aromatic && a.fixed === undefined && (a.element === 'N' || a.element === 'O' || a.element === 'S') ? 0 : n;
  }
  for (let i = 0; i < heavy; i++)
    for (let k = 0; k < atoms[i]!.hydrogens; k++) {
      atoms.push({ element: 'H', aromatic: false, hydrogens: 0, charge: 0 });
      bonds.push({ i, j: atoms.length - 1, order: 1 });
    }
  return { atoms, bonds };
}

function inRing(bonds: readonly Bond[], skip: Bond, n: number): boolean {
  const seen = new Uint8Array(n);
  const queue = [skip.i];
  seen[skip.i] = 1;
  for (const at of queue)
    for (const b of bonds) {
      if (b === skip) continue;
      const other = b.i === at ? b.j : b.j === at ? b.i : -1;
      if (other >= 0 && !seen[other]) {
        seen[other] = 1;
        queue.push(other);
      }
    }
  return seen[skip.j] === 1;
}

/** Å, from sums of radii shortened by bond order; X–H as X-rays see them. */
function idealLength(a: Atom, b: Atom, order: number): number {
  const pair = [a.element, b.element].sort().join('');
  if (a.element === 'H' || b.element === 'H') {
    const other = a.element === 'H' ? b : a;
    return other.element === 'O' ? 0.84 : other.element === 'N' ? 0.88 : other.aromatic ? 0.95 : 0.98;
  }
  const known: Record<string, [number, number, number, number]> = {
    // single, aromatic, double, triple
    CC: [1.51, 1.388, 1.34, 1.19],
    CN: [1.45, 1.34, 1.29, 1.15],
    CO: [1.42, 1.36, 1.22, 1.2],
    NN: [1.39, 1.34, 1.25, 1.1],
    CS: [1.78, 1.72, 1.68, 1.6],
    NO: [1.4, 1.35, 1.22, 1.2],
    OS: [1.58, 1.5, 1.43, 1.43],
    NS: [1.63, 1.6, 1.55, 1.5],
    CCl: [1.74, 1.74, 1.7, 1.7],
    BrC: [1.895, 1.895, 1.9, 1.9],
    CF: [1.36, 1.36, 1.3, 1.3],
    CI: [2.1, 2.1, 2.1, 2.1],
    ClZn: [2.24, 2.24, 2.24, 2.24],
    NZn: [2.03, 2.03, 2.03, 2.03],
  };
  const row = known[pair];
  const index = order === 1 ? 0 : order === 1.5 ? 1 : order === 2 ? 2 : 3;
  return row ? row[index]! : elementOf(a.element).covalentRadius + elementOf(b.element).covalentRadius;
}

interface Field {
  bonds: { i: number; j: number; d: number }[];
  angles: { i: number; j: number; d: number }[];
  planes: number[][];
  apart: { i: number; j: number; d: number }[];
}

function field(atoms: readonly Atom[], bonds: readonly Bond[]): Field {
  const n = atoms.length;
  const near: { j: number; order: number }[][] = atoms.map(() => []);
  for (const b of bonds) {
    near[b.i]!.push({ j: b.j, order: b.order });
    near[b.j]!.push({ j: b.i, order: b.order });
  }
  const double = (i: number): boolean => atoms[i]!.aromatic || near[i]!.some((x) => x.order >= 1.5);
  // Lone pairs beside a π system flatten: amides, anilines, phenols.
  const planar = (i: number): boolean =>
    (double(i) && atoms[i]!.element !== 'S') ||
    (['N', 'O'].includes(atoms[i]!.element) && near[i]!.some((x) => double(x.j) && atoms[x.j]!.element !== 'S'));
  const linear = (i: number): boolean => near[i]!.some((x) => x.order === 3);
  const inFive = (i: number, a: number, b: number): boolean =>
    near[a]!.some(
      (x) =>
        x.j !== i && near[x.j]!.some((y) => y.j !== i && near[y.j]!.some((z) => z.j === b && z.j !== i) && y.j !== a),
    );
  const length = new Map<string, number>();
  const out: Field = { bonds: [], angles: [], planes: [], apart: [] };
  for (const b of bonds) {
    let d = idealLength(atoms[b.i]!, atoms[b.j]!, b.order);
    // Conjugated single bonds are shorter.
    if (b.order === 1 && atoms[b.i]!.element !== 'H' && atoms[b.j]!.element !== 'H' && planar(b.i) && planar(b.j))
      d -= atoms[b.i]!.element === 'C' && atoms[b.j]!.element === 'C' ? 0.03 : 0.09;
    out.bonds.push({ i: b.i, j: b.j, d });
    length.set(`${Math.min(b.i, b.j)},${Math.max(b.i, b.j)}`, d);
  }
  const d = (i: number, j: number): number => length.get(`${Math.min(i, j)},${Math.max(i, j)}`)!;
  const graph = new Int8Array(n * n).fill(9);
  for (let i = 0; i < n; i++) {
    graph[i * n + i] = 0;
    for (const x of near[i]!) graph[i * n + x.j] = 1;
    for (const x of near[i]!)
      for (const y of near[x.j]!) if (y.j !== i) graph[i * n + y.j] = Math.min(graph[i * n + y.j]!, 2);
  }
  for (let c = 0; c < n; c++) {
    const list = near[c]!.map((x) => x.j);
    for (let p = 0; p < list.length; p++)
      for (let q = p + 1; q < list.length; q++) {
        const five = inFive(c, list[p]!, list[q]!) && !atoms[c]!.aromatic;
        const degrees = linear(c)
          ? 180
          : planar(c)
            ? atoms[c]!.element === 'O' && list.length === 2
              ? 117
              : 120
            : five
              ? 105
              : list.length === 2 && atoms[c]!.element === 'S'
                ? 102
                : 109.5;
        const a = d(c, list[p]!),
          b = d(c, list[q]!);
        out.angles.push({
          i: list[p]!,
          j: list[q]!,
          d: Math.sqrt(a * a + b * b - 2 * a * b * Math.cos((degrees * Math.PI) / 180)),
        });
      }
    if (planar(c) && list.length === 3) out.planes.push([c, ...list]);
  }
  for (const b of bonds)
    if (planar(b.i) && planar(b.j))
      for (const x of near[b.i]!)
        for (const y of near[b.j]!)
          if (
            x.j !== b.j &&
            y.j !== b.i &&
            x.j !== y.j &&
            (b.order >= 1.5 || atoms[b.i]!.element !== 'C' || atoms[b.j]!.element !== 'C')
          )
            out.planes.push([x.j, b.i, b.j, y.j]);
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++)
      if (graph[i * n + j]! > 2)
        out.apart.push({
          i,
          j,
          d: (elementOf(atoms[i]!.element).vdwRadius + elementOf(atoms[j]!.element).vdwRadius) * 0.84,
        });
  return out;
}

/** Energy and gradient of harmonic bonds, angles (as distances), planes (triple products) and soft repulsion. */
function energy(f: Field, x: Float64Array, g: Float64Array): number {
  g.fill(0);
  let e = 0;
  const spring = (i: number, j: number, d0: number, k: number, onlyClose: boolean): void => {
    const dx = x[3 * i]! - x[3 * j]!,
      dy = x[3 * i + 1]! - x[3 * j + 1]!,
      dz = x[3 * i + 2]! - x[3 * j + 2]!;
    const d = Math.sqrt(dx * dx + dy * dy + dz * dz) || 1e-6;
    if (onlyClose && d > d0) return;
    const delta = d - d0;
    e += k * delta * delta;
    const s = (2 * k * delta) / d;
    g[3 * i]! += s * dx;
    g[3 * i + 1]! += s * dy;
    g[3 * i + 2]! += s * dz;
    g[3 * j]! -= s * dx;
    g[3 * j + 1]! -= s * dy;
    g[3 * j + 2]! -= s * dz;
  };
  for (const b of f.bonds) spring(b.i, b.j, b.d, 400, false);
  for (const b of f.angles) spring(b.i, b.j, b.d, 80, false);
  for (const b of f.apart) spring(b.i, b.j, b.d, 3, true);
  for (const p of f.planes) {
    // Volume of the tetrahedron of four atoms that ought to share a plane.
    const [a, b, c, d] = p as [number, number, number, number];
    const v = (i: number, k: number): number => x[3 * i + k]! - x[3 * a + k]!;
    const u = [v(b, 0), v(b, 1), v(b, 2)],
      w = [v(c, 0), v(c, 1), v(c, 2)],
      t = [v(d, 0), v(d, 1), v(d, 2)];
    const cross = (m: number[], n: number[]): number[] => [
      m[1]! * n[2]! - m[2]! * n[1]!,
      m[2]! * n[0]! - m[0]! * n[2]!,
      m[0]! * n[1]! - m[1]! * n[0]!,
    ];
    const wt = cross(w, t),
      tu = cross(t, u),
      uw = cross(u, w);
    const volume = u[0]! * wt[0]! + u[1]! * wt[1]! + u[2]! * wt[2]!;
    e += 6 * volume * volume;
    for (let k = 0; k < 3; k++) {
      const s = 12 * volume;
      g[3 * b + k]! += s * wt[k]!;
      g[3 * c + k]! += s * tu[k]!;
      g[3 * d + k]! += s * uw[k]!;
      g[3 * a + k]! -= s * (wt[k]! + tu[k]! + uw[k]!);
    }
  }
  return e;
}

/** Springs and soft repulsion in four dimensions, the fourth drawn to zero with weight `flatten`: atoms can pass around one another (Crippen 1982). */
function energyFour(f: Field, flatten: number) {
  return (x: Float64Array, g: Float64Array): number => {
    g.fill(0);
    let e = 0;
    const spring = (i: number, j: number, d0: number, k: number, onlyClose: boolean): void => {
      let square = 0;
      for (let a = 0; a < 4; a++) square += (x[4 * i + a]! - x[4 * j + a]!) ** 2;
      const d = Math.sqrt(square) || 1e-6;
      if (onlyClose && d > d0) return;
      e += k * (d - d0) ** 2;
      const s = (2 * k * (d - d0)) / d;
      for (let a = 0; a < 4; a++) {
        const step = s * (x[4 * i + a]! - x[4 * j + a]!);
        g[4 * i + a]! += step;
        g[4 * j + a]! -= step;
      }
    };
    for (const b of f.bonds) spring(b.i, b.j, b.d, 200, false);
    for (const b of f.angles) spring(b.i, b.j, b.d, 80, false);
    for (const b of f.apart) spring(b.i, b.j, b.d, 3, true);
    for (let i = 3; i < x.length; i += 4) {
      e += flatten * x[i]! ** 2;
      g[i]! += 2 * flatten * x[i]!;
    }
    return e;
  };
}

/** Relaxes by inertial descent (Bitzek et al. 2006, Phys. Rev. Lett. 97, 170201); returns the energy. */
function relax(slope: (x: Float64Array, g: Float64Array) => number, x: Float64Array, steps: number): number {
  const n = x.length;
  const g = new Float64Array(n),
    v = new Float64Array(n);
  let e = Infinity,
    dt = 0.005,
    alpha = 0.1,
    since = 0;
  for (let step = 0; step < steps; step++) {
    e = slope(x, g);
    let power = 0,
      gg = 0,
      vv = 0;
    for (let i = 0; i < n; i++) {
      power -= g[i]! * v[i]!;
      gg += g[i]! * g[i]!;
      vv += v[i]! * v[i]!;
    }
    if (gg < 1e-6) break;
    if (power > 0) {
      const k = Math.sqrt(vv / gg);
      for (let i = 0; i < n; i++) v[i] = (1 - alpha) * v[i]! - alpha * k * g[i]!;
      if (++since > 5) {
        dt = Math.min(dt * 1.1, 0.05);
        alpha *= 0.99;
      }
    } else {
      v.fill(0);
      dt *= 0.5;
      alpha = 0.1;
      since = 0;
    }
    for (let i = 0; i < n; i++) {
      v[i]! -= dt * g[i]!;
      x[i]! += Math.max(-0.2, Math.min(0.2, dt * v[i]!));
    }
  }
  return e;
}

/** Three-dimensional shape of a molecule: many random starts relaxed roughly, the best few thoroughly. */
export function buildMolecule(line: string, random: Random, starts = 12): Molecule {
  const { atoms, bonds } = moleculeGraph(line);
  const full = field(atoms, bonds);
  const n = atoms.length;
  const tries: { e: number; x: Float64Array }[] = [];
  const slope = (x: Float64Array, g: Float64Array): number => energy(full, x, g);
  for (let start = 0; start < starts; start++) {
    const x4 = Float64Array.from({ length: 4 * n }, () => random.normal() * Math.cbrt(n) * 1.6);
    for (const flatten of [0.01, 1, 10, 60]) relax(energyFour(full, flatten), x4, 350);
    const x = Float64Array.from({ length: 3 * n }, (_, i) => x4[4 * Math.floor(i / 3) + (i % 3)]!);
    tries.push({ e: relax(slope, x, 500), x });
  }
  tries.sort((p, q) => p.e - q.e);
  for (const t of tries.slice(0, 2)) t.e = relax(slope, t.x, 4000);
  tries.sort((p, q) => p.e - q.e);
  const best = tries[0]!;
  if (best.e > 0.35 * n)
    throw new RangeError(`No sensible shape was found for ${line}: the strain is ${best.e.toFixed(1)}.`);
  return { atoms, bonds, xyz: best.x };
}
