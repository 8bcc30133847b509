/** What each part of a Hermann–Mauguin symbol says along its viewing direction, in words (International Tables A, 1.4.1), and what the group forbids. */
import { LATTICE_TRANSLATIONS } from '../crystal/hall.ts';
import { crystalClass, crystalSystem, rotationsOf, type CrystalSystem } from '../crystal/point-group.ts';
import { allOperators, type SpaceGroup } from '../crystal/space-group.ts';
import { conditionText, elementName } from '../data/space-group-ranking.ts';
import { fractionWords } from './elements.ts';

export interface SymbolPart {
  readonly text: string;
  /** Where one looks: "along b", or "" for the lattice letter. */
  readonly direction: string;
  readonly words: string;
}

const LATTICE: Record<string, string> = {
  P: 'primitive: only whole cells repeat',
  A: 'the middle of the face of b and c repeats too',
  B: 'the middle of the face of a and c repeats too',
  C: 'the middle of the face of a and b repeats too',
  I: 'the middle of the cell repeats too',
  F: 'the middle of every face repeats too',
  R: 'rhombohedral',
};

/** Viewing directions of the positions of a symbol after the lattice letter. */
function directions(system: CrystalSystem, parts: number, rhombohedralAxes: boolean): string[] {
  if (system === 'triclinic') return [''];
  if (system === 'monoclinic') return parts === 3 ? ['along a', 'along b', 'along c'] : ['along b'];
  if (system === 'orthorhombic') return ['along a', 'along b', 'along c'];
  if (system === 'tetragonal') return ['along c', 'along a (and b)', 'along [1 1 0] (and [1 −1 0])'];
  if (system === 'cubic')
    return ['along a (b, c)', 'along the body diagonals [1 1 1]', 'along the face diagonals [1 1 0]'];
  return rhombohedralAxes
    ? ['along [1 1 1]', 'along [1 −1 0] (and its like)']
    : ['along c', 'along a (b, a + b)', 'along [1 −1 0] (and its like)'];
}

const ORDER_WORDS: Record<string, string> = { 1: 'one', 2: 'two', 3: 'three', 4: 'four', 6: 'six' };
const TURNS: Record<string, string> = {
  2: 'half a turn',
  3: 'a third of a turn',
  4: 'a quarter turn',
  6: 'a sixth of a turn',
};

function planeWords(letter: string): string {
  switch (letter) {
    case 'm':
      return 'a mirror plane';
    case 'a':
    case 'b':
    case 'c':
      return `a glide plane that shifts by ½${letter}`;
    case 'e':
      return 'a double glide plane that shifts by half of either axis in it';
    case 'n':
      return 'a glide plane that shifts by half of a diagonal';
    case 'd':
      return 'a glide plane that shifts by a quarter of a diagonal';
    default:
      return letter;
  }
}

function axisWords(text: string): string {
  if (text === '1') return 'nothing';
  if (text === '-1') return 'an inversion centre';
  if (text.startsWith('-')) return `a ${ORDER_WORDS[text[1]!]}-fold rotoinversion axis`;
  const order = text[0]!,
    k = Number(text[1] ?? 0);
  return k
    ? `a ${ORDER_WORDS[order]}-fold screw axis: ${TURNS[order]} with a shift of ${fractionWords(k / Number(order))} of the repeat`
    : `a ${ORDER_WORDS[order]}-fold axis`;
}

/** Splits "P 1 21/c 1" into its parts with words for each. */
export function symbolParts(g: SpaceGroup): SymbolPart[] {
  const [lattice = 'P', ...parts] = g.symbol.trim().split(/\s+/);
  const system = crystalSystem(crystalClass(rotationsOf(g)));
  const rhombohedralAxes = lattice === 'R' && g.centring.length === 1;
  const where = directions(system, parts.length, rhombohedralAxes);
  const latticeWords =
    lattice === 'R'
      ? rhombohedralAxes
        ? 'rhombohedral axes: only whole cells repeat'
        : 'two points on the long diagonal repeat too'
      : (LATTICE[lattice] ?? '');
  return [
    {
      text: lattice,
      direction: '',
      words: `${latticeWords}${(LATTICE_TRANSLATIONS[lattice]?.length ?? 0) && !rhombohedralAxes ? ` (${LATTICE_TRANSLATIONS[lattice]!.map((t) => t.map(fractionWords).join(', ')).join('; ')})` : ''}`,
    },
    ...parts.map((text, i): SymbolPart => {
      const [axis, plane] = text.includes('/')
        ? text.split('/')
        : /^[a-z]/.test(text)
          ? [undefined, text]
          : [text, undefined];
      const words =
        axis && plane
          ? `${axisWords(axis)}; at right angles to it ${planeWords(plane)}`
          : axis
            ? axisWords(axis)
            : `${planeWords(plane!)}, at right angles to this direction`;
      return { text, direction: where[i] ?? '', words };
    }),
  ];
}

export interface ReflectionCondition {
  /** What the reflections have in common and what remains: "h0l: l = 2n". */
  readonly condition: string;
  readonly because: string;
}

/** Conditions for a reflection to be allowed: of the lattice, then of every screw axis and glide plane. */
export function reflectionConditions(g: SpaceGroup): ReflectionCondition[] {
  const out: ReflectionCondition[] = [];
  const centring = g.centring.filter((c) => c.some((x) => x > 1e-6));
  const denominator = (v: readonly number[]): number =>
    [2, 3, 4, 6].find((d) => v.every((x) => Math.abs(x * d - Math.round(x * d)) < 1e-6)) ?? 12;
  for (const [n, c] of centring.entries()) {
    // A translation and its opposite forbid the same reflections.
    if (centring.slice(0, n).some((e) => e.every((x, i) => Math.abs((x + c[i]!) % 1) < 1e-6))) continue;
    const d = denominator(c);
    const text = c
      .map((x, i) => {
        const n = Math.round(x * d) > d / 2 ? Math.round(x * d) - d : Math.round(x * d);
        return n ? `${n < 0 ? '−' : '+'}${Math.abs(n) === 1 ? '' : Math.abs(n)}${'hkl'[i]}` : '';
      })
      .join('')
      .replace(/^\+/, '')
      .replace(/([+−])/g, ' $1 ')
      .trim()
      .replace(/^− /, '−');
    out.push({ condition: `hkl: ${text} = ${d}n`, because: 'lattice centring' });
  }
  const seen = new Set<string>();
  for (const o of allOperators(g)) {
    const name = elementName(o);
    if (!name) continue;
    const condition = conditionText(o);
    // A condition without terms on its right is none.
    if (/:\s*=/.test(condition) || /: \d[hkl] = /.test(condition) || seen.has(condition)) continue;
    seen.add(condition);
    out.push({ condition, because: name });
  }
  return out;
}
