/** What counts as a contact, in parts that can be read and changed. */
export const CONTACT_KINDS = ['hydrogen', 'sigma', 'close', 'face', 'rings'] as const;
/**
 * Over a hydrogen of the giver; along the bond behind it (halogen and chalcogen bonds); any two atoms; onto the face of a ring;
 * of two rings.
 */
export type ContactKind = (typeof CONTACT_KINDS)[number];

/** Å, or Å beyond the sum of van der Waals radii (negative for nearer). */
export type LengthLimit =
  | { readonly by: 'length'; readonly from: number; readonly to: number }
  | { readonly by: 'radii'; readonly beyond: number };

/** A role (`ROLES`), an element, or "any" atom but hydrogen. */
export type Who = string;

export const LINE_STYLES = ['dots', 'short dashes', 'long dashes', 'full'] as const;
export type LineStyle = (typeof LINE_STYLES)[number];

export interface Definition {
  readonly id: string;
  readonly name: string;
  readonly kind: ContactKind;
  readonly givers: readonly Who[];
  readonly takers: readonly Who[];
  /** From giver to taker; of a ring from its middle. */
  readonly far?: LengthLimit | undefined;
  /** From the hydrogen to the taker. */
  readonly near?: LengthLimit | undefined;
  /** Degrees at the hydrogen, or at a giver that points along its bond. */
  readonly leastAngle: number;
  readonly where: 'anywhere' | 'inside' | 'between';
  /** Inside a molecule as many bonds lie between at least. */
  readonly leastBonds: number;
  /** Without hydrogens in the model likely contacts are told from heavy atoms alone, unless they are asked for. */
  readonly hydrogens: 'asked for' | 'where there are any';
  readonly line: LineStyle;
}

const OXYGENS: readonly Who[] = ['water', 'hydroxyl', 'carbonyl', 'carboxylate', 'ether', 'nitro', 'oxo', 'oxide'];
const NITROGENS: readonly Who[] = ['amine', 'pyridine', 'nitrile'];

/** Definitions that ship; limits after Steiner 2002, Desiraju & Steiner 1999, Cavallo et al. 2016, Janiak 2000, Nishio 2004. */
export const SHIPPED: readonly Definition[] = [
  {
    id: 'hydrogen bonds',
    name: 'Hydrogen bonds',
    kind: 'hydrogen',
    givers: ['O', 'N', 'F', 'S'],
    takers: [...OXYGENS, ...NITROGENS, 'halide', 'F', 'Cl', 'Br', 'I', 'S'],
    near: { by: 'radii', beyond: -0.12 },
    leastAngle: 110,
    where: 'anywhere',
    leastBonds: 4,
    hydrogens: 'where there are any',
    line: 'short dashes',
  },
  {
    id: 'carbon donors',
    name: 'C–H⋯O',
    kind: 'hydrogen',
    givers: ['C'],
    takers: [...OXYGENS, ...NITROGENS],
    near: { by: 'length', from: 1.8, to: 2.7 },
    leastAngle: 120,
    where: 'between',
    leastBonds: 4,
    hydrogens: 'asked for',
    line: 'dots',
  },
  {
    id: 'halogen bonds',
    name: 'Halogen bonds',
    kind: 'sigma',
    givers: ['Cl', 'Br', 'I'],
    takers: [...OXYGENS, ...NITROGENS, 'S', 'halide', 'organic halogen'],
    far: { by: 'radii', beyond: 0 },
    leastAngle: 150,
    where: 'between',
    leastBonds: 4,
    hydrogens: 'where there are any',
    line: 'long dashes',
  },
  {
    id: 'chalcogen bonds',
    name: 'Chalcogen bonds',
    kind: 'sigma',
    givers: ['S', 'Se', 'Te'],
    takers: [...OXYGENS, ...NITROGENS, 'halide'],
    far: { by: 'radii', beyond: 0 },
    leastAngle: 150,
    where: 'between',
    leastBonds: 4,
    hydrogens: 'where there are any',
    line: 'long dashes',
  },
  {
    id: 'short contacts',
    name: 'Short contacts',
    kind: 'close',
    givers: ['any', 'H'],
    takers: ['any', 'H'],
    far: { by: 'radii', beyond: -0.1 },
    leastAngle: 0,
    where: 'between',
    leastBonds: 4,
    hydrogens: 'where there are any',
    line: 'dots',
  },
  {
    id: 'stacked rings',
    name: 'π⋯π',
    kind: 'rings',
    givers: ['π ring'],
    takers: ['π ring'],
    far: { by: 'length', from: 3, to: 4.2 },
    leastAngle: 0,
    where: 'between',
    leastBonds: 0,
    hydrogens: 'where there are any',
    line: 'full',
  },
  {
    id: 'onto rings',
    name: 'C–H⋯π',
    kind: 'face',
    givers: ['C'],
    takers: ['π ring'],
    near: { by: 'length', from: 2, to: 3.05 },
    leastAngle: 120,
    where: 'between',
    leastBonds: 0,
    hydrogens: 'asked for',
    line: 'dots',
  },
  {
    id: 'cations over rings',
    name: 'Cation⋯π',
    kind: 'face',
    givers: ['metal', 'ammonium'],
    takers: ['π ring'],
    far: { by: 'length', from: 2.5, to: 4.2 },
    leastAngle: 0,
    where: 'between',
    leastBonds: 0,
    hydrogens: 'where there are any',
    line: 'long dashes',
  },
  {
    id: 'metals and ligands',
    name: 'Metal⋯ligand',
    kind: 'close',
    givers: ['metal'],
    takers: [...OXYGENS, 'amine', 'amide', 'pyridine', 'nitrile', 'chalcogen', 'halide', 'organic halogen'],
    far: { by: 'length', from: 2.2, to: 3.2 },
    leastAngle: 0,
    where: 'anywhere',
    leastBonds: 2,
    hydrogens: 'where there are any',
    line: 'full',
  },
];

const list = (who: readonly Who[]): string =>
  who.length > 1 ? `${who.slice(0, -1).join(', ')} or ${who.at(-1)}` : who[0]!;

function limitWords(limit: LengthLimit | undefined, what: string): string | undefined {
  if (!limit) return undefined;
  if (limit.by === 'length') return `${what} from ${limit.from} to ${limit.to} Å`;
  const { beyond } = limit;
  if (!beyond) return `${what} within the sum of radii`;
  return `${what} within the sum of radii ${beyond < 0 ? 'less' : 'and'} ${Math.abs(beyond)} Å`;
}

/** A definition as a sentence. */
export function definitionWords(d: Definition): string {
  const parts = [
    `${list(d.givers)} to ${list(d.takers)}`,
    limitWords(d.near, d.kind === 'face' ? 'H to the middle' : 'H⋯A'),
    limitWords(d.far, d.kind === 'hydrogen' ? 'D⋯A' : 'distance'),
    d.leastAngle ? `at least ${d.leastAngle}° ${d.kind === 'sigma' ? 'along the bond' : 'at H'}` : undefined,
    d.where === 'between'
      ? 'between molecules'
      : `${d.where === 'inside' ? 'inside a molecule' : 'anywhere'}, ${d.leastBonds} bonds apart or more inside`,
    d.kind === 'hydrogen' && d.hydrogens === 'where there are any'
      ? 'likely ones where no hydrogen was located'
      : undefined,
  ];
  return `${parts.filter(Boolean).join('; ')}.`;
}
