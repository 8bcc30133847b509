/**
 * Structures without data: a mixed oxide, a layered mineral, a cage dye; and, to build with, a tungstate, a garnet whose
 * octahedra are shared, a layered hydroxide and lime. Names and coordinates are the workshop's own; the minerals are of
 * structure types that textbooks know (trirutile; trioctahedral mica, one layer; wolframite; garnet; brucite; halite), cells
 * near theirs.
 */
import { writeFileSync } from 'node:fs';
import { orthogonalization, type Cell } from '@nagare/core/crystal/cell';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Site, Structure } from '@nagare/core/crystal/structure';
import { apply3, inverse3, norm, subtract, toVec3, turn, type Vec3 } from '@nagare/core/math/matrix3';
import { seededRandom, type Random } from '@nagare/core/math/random';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { cageCorners } from './cage.ts';
import { bareHydrate, bromide, dyeServed, dyeUnserved } from './wish-structures.ts';

type Row = readonly [label: string, x: number, y: number, z: number, u: number];

const elementOfLabel = (label: string): string => /^[A-Z][a-z]?/.exec(label)![0];

/** Coordinates that are not fixed by symmetry have an s.u. of so many Å. */
function sites(rows: readonly Row[], cell: Cell, su: number): Site[] {
  const edges = [cell.a, cell.b, cell.c];
  const free = (x: number): boolean => Math.abs(x * 24 - Math.round(x * 24)) > 1e-6;
  return rows.map(([label, x, y, z, u]) => ({
    id: label,
    label,
    element: elementOfLabel(label),
    position: [x, y, z],
    positionSu: [x, y, z].map((v, k) => (free(v) ? su / edges[k]! : 0)) as never,
    occupancy: 1,
    displacement: { kind: 'iso', u },
  }));
}

/** Two kinds of octahedra in rows, one of them drawn out. */
export function mixedOxide(): Structure {
  const cell: Cell = {
    a: 4.664,
    b: 4.664,
    c: 9.263,
    alpha: 90,
    beta: 90,
    gamma: 90,
    su: [0.0004, 0.0004, 0.0009, 0, 0, 0],
  };
  const rows: Row[] = [
    ['Zn1', 0, 0, 0, 0.006],
    ['Sb1', 0, 0, 0.3326, 0.004],
    ['O1', 0.3102, 0.3102, 0, 0.008],
    ['O2', 0.3017, 0.3017, 0.3243, 0.008],
  ];
  return { cell, spaceGroup: spaceGroupFromSymbol('P 42/m n m'), sites: sites(rows, cell, 0.002) };
}

/** Sheets of octahedra between sheets of tetrahedra, held apart by potassium. */
export function layeredMineral(): Structure {
  const cell: Cell = {
    a: 5.31,
    b: 9.19,
    c: 10.15,
    alpha: 90,
    beta: 100.1,
    gamma: 90,
    su: [0.001, 0.002, 0.002, 0, 0.01, 0],
  };
  const rows: Row[] = [
    ['K1', 0, 0, 0, 0.025],
    ['Mg1', 0, 0.5, 0.5, 0.007],
    ['Mg2', 0, 0.1688, 0.5, 0.007],
    ['Si1', 0.5755, 0.167, 0.2265, 0.007],
    ['O1', 0.8252, 0.2328, 0.1672, 0.014],
    ['O2', 0.5213, 0, 0.167, 0.014],
    ['O3', 0.6307, 0.1668, 0.3895, 0.008],
    ['O4', 0.1325, 0, 0.398, 0.009],
    ['H1', 0.105, 0, 0.302, 0.03],
  ];
  const all = sites(rows, cell, 0.003);
  // A quarter of the tetrahedra hold aluminium: that is the charge which potassium balances.
  const shared = all.flatMap((x): Site[] =>
    x.label === 'Si1'
      ? [
          { ...x, occupancy: 0.75 },
          { ...x, id: 'Al1', label: 'Al1', element: 'Al', occupancy: 0.25 },
        ]
      : [x],
  );
  return { cell, spaceGroup: spaceGroupFromSymbol('C 1 2/m 1'), sites: shared };
}

const right = (a: number, b: number, c: number, beta = 90, gamma = 90): Cell => ({ a, b, c, alpha: 90, beta, gamma });

/** Zigzag rows of octahedra: a plane that is not square to anything. */
export function tungstate(): Structure {
  const cell: Cell = { ...right(4.691, 5.72, 4.925, 90.64), su: [0.001, 0.001, 0.001, 0, 0.01, 0] };
  const rows: Row[] = [
    ['Zn1', 0.5, 0.6833, 0.25, 0.006],
    ['W1', 0, 0.1818, 0.25, 0.004],
    ['O1', 0.2171, 0.8953, 0.4359, 0.008],
    ['O2', 0.2557, 0.3771, 0.4011, 0.008],
  ];
  return { cell, spaceGroup: spaceGroupFromSymbol('P 1 2/c 1'), sites: sites(rows, cell, 0.003) };
}

/** A garnet whose octahedra hold iron by a share and aluminium for the rest; cell and oxygen follow the share. */
export function garnet(iron: number): Structure {
  const edge = 11.85 + 0.2 * iron;
  const cell: Cell = { ...right(edge, edge, edge), su: [0.001, 0.001, 0.001, 0, 0, 0] };
  const rows: Row[] = [
    ['Ca1', 0.125, 0, 0.25, 0.006],
    ['Al1', 0, 0, 0, 0.005],
    ['Si1', 0.375, 0, 0.25, 0.005],
    ['O1', 0.038 + 0.0012 * iron, 0.0453 + 0.0022 * iron, 0.6512 + 0.0022 * iron, 0.007],
  ];
  const shared = sites(rows, cell, 0.002).flatMap((x): Site[] => {
    if (x.label !== 'Al1') return [x];
    const both = [
      { ...x, occupancy: 1 - iron },
      { ...x, id: 'Fe1', label: 'Fe1', element: 'Fe', occupancy: iron },
    ];
    return both.filter((y) => y.occupancy > 0);
  });
  return { cell, spaceGroup: spaceGroupFromSymbol('I a -3 d'), sites: shared };
}

/**
 * Clusters of four zinc about an oxygen, joined along the axes by flat linkers: what lies between is empty. Distances from the
 * cluster's middle along a strut and across it, Å, of usual bond lengths.
 */
export function porousFramework(): Structure {
  const edge = 25.83;
  const cell: Cell = { ...right(edge, edge, edge), su: [0.001, 0.001, 0.001, 0, 0, 0] };
  const along = (x: number, across: number): readonly [number, number, number] => [
    0.25 + x / edge,
    0.25 + across / Math.SQRT2 / edge,
    0.25 + across / Math.SQRT2 / edge,
  ];
  const zinc = 1.94 / Math.sqrt(3) / edge;
  const rows: Row[] = [
    ['Zn1', 0.25 + zinc, 0.25 + zinc, 0.25 + zinc, 0.012],
    ['O1', 0.25, 0.25, 0.25, 0.012],
    ['O2', ...along(2.98, 1.1265), 0.025],
    ['C1', ...along(3.57, 0), 0.022],
    ['C2', ...along(5.068, 0), 0.025],
    ['C3', ...along(5.763, 1.2038), 0.035],
    ['H3', ...along(5.288, 2.0265), 0.045],
  ];
  return { cell, spaceGroup: spaceGroupFromSymbol('F m -3 m'), sites: sites(rows, cell, 0.003) };
}

/** Cages of corner-sharing tetrahedra behind windows of twelve: a group with two origins. */
export function caged(): Structure {
  const cell: Cell = { ...right(24.35, 24.35, 24.35), su: [0.001, 0.001, 0.001, 0, 0, 0] };
  const rows: Row[] = [
    ['Si1', -0.0537, 0.1253, 0.0359, 0.01],
    ['O1', 0, -0.1059, 0.1059, 0.02],
    ['O2', -0.0023, -0.0023, 0.1411, 0.02],
    ['O3', 0.1755, 0.1755, -0.0378, 0.02],
    ['O4', 0.1781, 0.1781, 0.3199, 0.02],
  ];
  return { cell, spaceGroup: spaceGroupFromSymbol('F d -3 m:2'), sites: sites(rows, cell, 0.003) };
}

/** Sheets of edge-sharing octahedra, hydrogen on either side. */
export function layeredHydroxide(): Structure {
  const cell: Cell = { ...right(3.182, 3.182, 4.652, 90, 120), su: [0.0005, 0.0005, 0.001, 0, 0, 0] };
  const rows: Row[] = [
    ['Co1', 0, 0, 0, 0.007],
    ['O1', 1 / 3, 2 / 3, 0.2205, 0.009],
    ['H1', 1 / 3, 2 / 3, 0.428, 0.03],
  ];
  return { cell, spaceGroup: spaceGroupFromSymbol('P -3 m 1'), sites: sites(rows, cell, 0.002) };
}

/** Two ions: (100) is neutral, (111) is not. */
export function lime(): Structure {
  const cell: Cell = { ...right(4.811, 4.811, 4.811), su: [0.0005, 0.0005, 0.0005, 0, 0, 0] };
  const rows: Row[] = [
    ['Ca1', 0, 0, 0, 0.005],
    ['O1', 0.5, 0.5, 0.5, 0.006],
  ];
  return { cell, spaceGroup: spaceGroupFromSymbol('F m -3 m'), sites: sites(rows, cell, 0.002) };
}

/**
 * Columns of corner-sharing octahedra around triangular, square and hexagonal tunnels: in the plane the metals are the corners of
 * the tiling 3.4.6.4 with edges d, the oxygens bent off the middles of its edges by ten degrees. Two guests share the hexagonal
 * tunnels, two metals share the columns; charges balance.
 */
export function tunnelOxide(): Structure {
  const bond = 1.95,
    bend = (10 * Math.PI) / 180;
  const d = 2 * bond * Math.cos(bend),
    off = bond * Math.sin(bend);
  const a = d * (1 + Math.sqrt(3));
  const cell: Cell = { ...right(a, a, 3.86, 90, 120), su: [0.001, 0.001, 0.0004, 0, 0, 0] };
  const metal = d / (Math.sqrt(3) * a);
  const inward = ((d * Math.sqrt(3)) / 2 - off) / a;
  const outward = 1 / 3 + (d / Math.sqrt(12) + off) / (Math.sqrt(3) * a);
  const rows: Row[] = [
    ['W1', metal, 2 * metal, 0, 0.008],
    ['O1', metal, 2 * metal, 0.5, 0.012],
    ['O2', inward, 0, 0, 0.012],
    ['O3', outward, 2 * outward, 0, 0.012],
    ['Cs1', 0, 0, 0.5, 0.03],
  ];
  const shared = (x: Site, other: string, first: number, second: number): Site[] => [
    { ...x, occupancy: first },
    { ...x, id: other, label: other, element: other.replace(/[0-9]/g, ''), occupancy: second },
  ];
  const all = sites(rows, cell, 0.003).flatMap((x) => {
    if (x.label === 'W1') return shared(x, 'Nb1', 5 / 6, 1 / 6);
    return x.label === 'Cs1' ? shared(x, 'Ba1', 0.6, 0.2) : [x];
  });
  return { cell, spaceGroup: spaceGroupFromSymbol('P 6/m m m'), sites: all };
}

/** Å: the scatter that keeps the cage from being ideal. */
const SCATTER = 0.012;

/** A cage about a centre of symmetry: one atom of every five-membered ring is nitrogen. */
export function cageDye(random: Random): Structure {
  const cell: Cell = {
    a: 10.02,
    b: 9.94,
    c: 14.21,
    alpha: 90,
    beta: 91.3,
    gamma: 90,
    su: [0.001, 0.001, 0.002, 0, 0.01, 0],
  };
  const corners = cageCorners().map((p) => turn(turn(p, [0.6, 0.8, 0], 0.47), [0, 0.28, 0.96], 0.91));
  const halves = corners.filter((p) => p[0] > 0 || (p[0] === 0 && p[1] > 0));
  const back = inverse3(orthogonalization(cell));
  const nitrogen = nitrogensOf(corners);
  const counts: Record<string, number> = {};
  return {
    cell,
    spaceGroup: spaceGroupFromSymbol('P 1 21/n 1'),
    sites: halves.map((p): Site => {
      const element = nitrogen.has(corners.indexOf(p)) ? 'N' : 'C';
      const n = (counts[element] = (counts[element] ?? 0) + 1);
      const moved = toVec3(p.map((x) => x + SCATTER * random.normal()));
      return {
        id: `${element}${n}`,
        label: `${element}${n}`,
        element,
        position: apply3(back, moved),
        positionSu: [0.003 / cell.a, 0.003 / cell.b, 0.003 / cell.c],
        occupancy: 1,
        displacement: { kind: 'iso', u: 0.021 + 0.004 * random.next() },
      };
    }),
  };
}

/** One corner of each five-membered ring, opposite rings giving opposite corners. */
function nitrogensOf(corners: readonly Vec3[]): Set<number> {
  const apart = (i: number, j: number): number => norm(subtract(corners[i]!, corners[j]!));
  const ringOf = (i: number): number[] => {
    // Of a pentagon's corners the far ones are 1.618 edges apart; those of a hexagon 1.732 and 2.
    const far = corners.flatMap((_, j) => (Math.abs(apart(i, j) - 1.43 * 1.618) < 0.02 ? [j] : []));
    const near = corners.flatMap((_, j) => (j !== i && apart(i, j) < 1.5 ? [j] : []));
    return [i, ...far, ...near.filter((j) => far.every((k) => apart(j, k) < 1.43 * 1.64))];
  };
  const opposite = (i: number): number =>
    corners.findIndex((p) => norm([p[0] + corners[i]![0], p[1] + corners[i]![1], p[2] + corners[i]![2]]) < 0.01);
  const out = new Set<number>();
  const taken = new Set<number>();
  corners.forEach((_, i) => {
    const besideOne = corners.some((_c, j) => out.has(j) && apart(i, j) < 1.5);
    if (taken.has(i) || besideOne) return;
    const other = opposite(i);
    out.add(i).add(other);
    for (const k of [i, other]) for (const j of ringOf(k)) taken.add(j);
  });
  return out;
}

const SETS: readonly { file: string; name: string; make(random: Random): Structure; colour: string; z: number }[] = [
  { file: 'nibiiro', name: 'Nibiiro', make: mixedOxide, colour: 'grey', z: 2 },
  { file: 'kirara-3', name: 'Kirara-3', make: layeredMineral, colour: 'colourless', z: 2 },
  { file: 'temari', name: 'Temari', make: cageDye, colour: 'violet', z: 2 },
  { file: 'kuwazome', name: 'Kuwazome', make: tungstate, colour: 'yellow-brown', z: 2 },
  { file: 'zakuro-1', name: 'Zakuro-1', make: () => garnet(0), colour: 'colourless', z: 8 },
  { file: 'zakuro-2', name: 'Zakuro-2', make: () => garnet(0.5), colour: 'red', z: 8 },
  { file: 'zakuro-3', name: 'Zakuro-3', make: () => garnet(1), colour: 'dark red', z: 8 },
  { file: 'hiwada', name: 'Hiwada', make: porousFramework, colour: 'brown', z: 8 },
  { file: 'shironezumi', name: 'Shironezumi', make: caged, colour: 'white', z: 192 },
  { file: 'asagiri', name: 'Asagiri', make: layeredHydroxide, colour: 'pink', z: 1 },
  { file: 'hachisu', name: 'Hachisu', make: tunnelOxide, colour: 'blue-black', z: 6 },
  { file: 'ishibai', name: 'Ishibai', make: lime, colour: 'white', z: 4 },
];

/** Packed molecules to look at for contacts and wishes; minutes each. */
const PACKED: typeof SETS = [
  { file: 'ukonzome-1', name: 'Ukonzome-1', make: dyeServed, colour: 'yellow', z: 2 },
  { file: 'ukonzome-2', name: 'Ukonzome-2', make: dyeUnserved, colour: 'orange', z: 4 },
  { file: 'kurumi-5', name: 'Kurumi-5', make: bromide, colour: 'brown', z: 2 },
  { file: 'tsurubami-4', name: 'Tsurubami-4', make: bareHydrate, colour: 'grey-brown', z: 4 },
];

/** All of them, or those that are named. */
export function writePackedSets(here: string, names: readonly string[]): void {
  const named = PACKED.filter((s) => names.includes(s.file));
  write(named.length ? named : PACKED, here);
}

/** Writes the structures as CIF without reflections. */
export const writeStructureSets = (here: string): void => write(SETS, here);

function write(sets: typeof SETS, here: string): void {
  for (const set of sets) {
    const structure = set.make(seededRandom(21));
    const experiment = { kept: { _chemical_name_common: set.name }, colour: set.colour, temperature: 293, z: set.z };
    writeFileSync(
      `${here}data/${set.file}.cif`,
      structureCif({ name: set.file, structure, experiment, date: '2026-11-26' }),
    );
    process.stdout.write(`${set.name}: ${structure.sites.length} sites\n`);
  }
}
