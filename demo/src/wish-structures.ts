/**
 * Structures to look at for contacts and wishes: a dye with six kinds of givers and takers, one of them inside the molecule, in two
 * forms of which the second serves the molecule less well; a bromine compound whose bromine reaches for nitrogen; a hydrate whose
 * hydrogens were never located. Packed as the other made-up crystals are, of several packings the one that is wanted.
 */
import { WishSearch } from '@nagare/core/contacts/wishes';
import { ContactSearch } from '@nagare/core/contacts/find-contacts';
import { SHIPPED } from '@nagare/core/contacts/definition';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { isHydrogen } from '@nagare/core/crystal/elements';
import { neighbours } from '@nagare/core/crystal/neighbours';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { netsOf } from '@nagare/core/geometry/nets';
import { add, cross, dot, norm, normalize, scale, subtract, turn, type Vec3 } from '@nagare/core/math/matrix3';
import { seededRandom, type Random } from '@nagare/core/math/random';
import { buildMolecule, type Molecule } from './molecule.ts';
import { pack, type Packed } from './packing.ts';
import { crystalSites } from './simulate.ts';

const DYE = 'Oc1cc(C#N)c(OC)cc1C(=O)NCc1ccncc1';
const BROMIDE = 'Brc1ccc(cc1)C(=O)Nc1ccncc1';
const ACID = 'OC(=O)c1cc(O)cc(N)c1';

const at = (m: Molecule, i: number): Vec3 => [m.xyz[3 * i]!, m.xyz[3 * i + 1]!, m.xyz[3 * i + 2]!];
const partners = (m: Molecule, i: number): number[] =>
  m.bonds.flatMap((b) => (b.i === i ? [b.j] : b.j === i ? [b.i] : []));

/** A hydroxyl oxygen with its hydrogen, and the carbonyl oxygen nearest to it. */
function hydroxyl(m: Molecule): {
  oxygen: number;
  hydrogen: number;
  carbon: number;
  carbonyl: number;
  distance: number;
} {
  const elements = m.atoms.map((a) => a.element);
  const oxygen = elements.findIndex((e, i) => e === 'O' && partners(m, i).some((j) => elements[j] === 'H'));
  const near = partners(m, oxygen);
  const hydrogen = near.find((j) => elements[j] === 'H')!;
  const carbon = near.find((j) => elements[j] === 'C')!;
  const takers = elements.flatMap((e, i) => (e === 'O' && partners(m, i).length === 1 ? [i] : []));
  const apart = (i: number): number => norm(subtract(at(m, i), at(m, oxygen)));
  const carbonyl = takers.sort((p, q) => apart(p) - apart(q))[0]!;
  return { oxygen, hydrogen, carbon, carbonyl, distance: apart(carbonyl) };
}

/** A molecule whose hydroxyl can reach its own carbonyl, its hydrogen turned there. */
function chelated(line: string, random: Random): Molecule {
  for (let n = 0; n < 60; n++) {
    const m = buildMolecule(line, random, 4);
    const { oxygen, hydrogen, carbon, carbonyl, distance } = hydroxyl(m);
    if (distance < 2.45 || distance > 2.85) continue;
    const [o, c, target] = [at(m, oxygen), at(m, carbon), at(m, carbonyl)];
    const axis = normalize(subtract(o, c));
    const towards = subtract(target, o);
    const aside = normalize(subtract(towards, scale(axis, dot(towards, axis))));
    // 109° at the oxygen, in the plane with its taker.
    const way = turn(axis, normalize(cross(axis, aside)), (71 * Math.PI) / 180);
    const placed = add(o, scale(way, 0.97));
    const xyz = Float64Array.from(m.xyz);
    placed.forEach((x, k) => (xyz[3 * hydrogen + k] = x));
    if (norm(subtract(placed, target)) < 2) return { ...m, xyz };
  }
  throw new RangeError(`No shape of ${line} brings its hydroxyl to its carbonyl.`);
}

/** For packing alone: the bromine reaches for what takes as a hydrogen on nitrogen would, from the end of its bond. */
function withReach(m: Molecule): Molecule {
  const bromine = m.atoms.findIndex((a) => a.element === 'Br');
  const [carbon] = partners(m, bromine);
  const along = normalize(subtract(at(m, bromine), at(m, carbon!)));
  const tip = add(at(m, bromine), scale(along, 1.1));
  const bare = { aromatic: false, hydrogens: 0, charge: 0 };
  const atoms = m.atoms.map((a, i) => (i === bromine ? { ...bare, element: 'N', hydrogens: 1 } : a));
  return {
    atoms: [...atoms, { ...bare, element: 'H' }],
    bonds: [...m.bonds, { i: bromine, j: m.atoms.length, order: 1 }],
    xyz: Float64Array.from([...m.xyz, ...tip]),
  };
}

/** For packing alone: a hydroxyl that is content inside its molecule reaches for nothing, a nitrile takes. */
function withContentHydroxyl(m: Molecule): Molecule {
  const { oxygen } = hydroxyl(m);
  const isNitrile = (i: number): boolean => m.atoms[i]!.element === 'N' && partners(m, i).length === 1;
  const atoms = m.atoms.map((a, i) => {
    if (i === oxygen) return { ...a, element: 'C' };
    return isNitrile(i) ? { ...a, aromatic: true } : a;
  });
  return { ...m, atoms };
}

const rounded = (x: number, d: number): number => Number(x.toFixed(d));

function crystalOf(molecules: readonly Molecule[], packed: Packed, symbol: string, random: Random): Structure {
  const { a, b, c, alpha, beta, gamma } = packed.cell;
  const su = (length: number): number => rounded(length * 0.00008, 4);
  const free = (angle: number): number => (angle === 90 ? 0 : 0.003);
  const cell = {
    a: rounded(a, 4),
    b: rounded(b, 4),
    c: rounded(c, 4),
    alpha: rounded(alpha, 3),
    beta: rounded(beta, 3),
    gamma: rounded(gamma, 3),
    su: [su(a), su(b), su(c), free(alpha), free(beta), free(gamma)] as const,
  };
  const s = crystalSites(molecules, { ...packed, cell }, spaceGroupFromSymbol(symbol), random, 1.2);
  const sites = s.sites.map((x) => ({
    ...x,
    position: x.position.map((v) => rounded(v, 5)) as never,
    positionSu: [a, b, c].map((edge) => rounded((isHydrogen(x.element) ? 0.02 : 0.002) / edge, 5)) as never,
  }));
  return { ...s, sites };
}

const STEPS = 14000;

/** Å: nearest that atoms of two molecules come, hydrogens to one another and to what takes them, and all others. */
const NEAREST = { hydrogens: 1.95, taken: 1.65, others: 2.35 };

/** Whether no two molecules stand inside one another. */
function isRoomy(s: Structure): boolean {
  const whole = bonded(s);
  const nets = netsOf(whole);
  const isH = s.sites.map((x) => isHydrogen(x.element));
  const takes = s.sites.map((x) => x.element === 'O' || x.element === 'N');
  const least = (i: number, j: number): number => {
    if (isH[i] && isH[j]) return NEAREST.hydrogens;
    return (isH[i] && takes[j]) || (isH[j] && takes[i]) ? NEAREST.taken : NEAREST.others;
  };
  const near = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    { widest: NEAREST.others, of: least },
  );
  return near.every((n) => {
    const other = { site: s.sites[n.to]!.id, operator: n.operator, shift: n.shift };
    return nets.nameOf(originalRef(s.sites[n.from]!.id)) === nets.nameOf(other);
  });
}

/** Packings by one group after another, without clashes, until there are enough to choose from. */
function packings(
  molecules: readonly Molecule[],
  forPacking: readonly Molecule[],
  symbol: string,
  random: Random,
  count: number,
  /** What of a packing is kept. */
  kept: (s: Structure) => Structure = (s) => s,
): Structure[] {
  const out: Structure[] = [];
  for (let n = 0; n < 3 * count && out.length < count; n++) {
    const found = pack(forPacking, spaceGroupFromSymbol(symbol), random, STEPS, 1);
    const fractional = found.fractional.map((f, k) => f.slice(0, 3 * molecules[k]!.atoms.length));
    const s = kept(crystalOf(molecules, { ...found, fractional }, symbol, random));
    if (isRoomy(s)) out.push(s);
  }
  return out;
}

const served = (s: Structure): number => new WishSearch(bonded(s), { probes: ['donor', 'acceptor'] }).all().served ?? 0;

const best = (list: readonly Structure[], of: (s: Structure) => number): Structure =>
  [...list].sort((p, q) => of(q) - of(p))[0]!;

/** The first form, in which most of the dye's wishes come true. */
export function dyeServed(): Structure {
  const random = seededRandom(401);
  const dye = chelated(DYE, random);
  const forPacking = withContentHydroxyl(dye);
  const list = ['P 1 21/c 1', 'P -1'].flatMap((symbol) => packings([dye], [forPacking], symbol, random, 7));
  // What gives inside and out is served best.
  return best(list, (s) => served(s) + (bondsOut(s) ? 1 : 0));
}

/** The second form, of the same molecule. */
export function dyeUnserved(): Structure {
  const random = seededRandom(401);
  const dye = chelated(DYE, random);
  const list = packings([dye], [dye], 'P 21 21 21', random, 5);
  return best(list, (s) => -served(s));
}

/** Hydrogen bonds that lead from molecule to molecule. */
const bondsOut = (s: Structure): number =>
  new ContactSearch(bonded(s)).find(SHIPPED[0]!).filter((c) => !c.inside).length;

const halogenBonds = (s: Structure): number => {
  const definition = SHIPPED.find((d) => d.id === 'halogen bonds')!;
  const found = new ContactSearch(bonded(s)).find(definition).filter((c) => !c.inside);
  return Math.max(0, ...found.map((c) => (c.angle?.value ?? 0) - 60 * (c.da.value - 3)));
};

/** A bromine compound that makes halogen bonds. */
export function bromide(): Structure {
  const random = seededRandom(402);
  const m = buildMolecule(BROMIDE, random);
  return best(packings([m], [withReach(m)], 'P -1', random, 8), halogenBonds);
}

const withoutHydrogens = (s: Structure): Structure => ({ ...s, sites: s.sites.filter((x) => !isHydrogen(x.element)) });

/** A hydrate of which only the heavy atoms are known. */
export function bareHydrate(): Structure {
  const random = seededRandom(403);
  const molecules = [buildMolecule(ACID, random), buildMolecule('O', random)];
  return best(packings(molecules, molecules, 'P 1 21/c 1', random, 5, withoutHydrogens), served);
}
