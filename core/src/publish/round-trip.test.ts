/** What is written is what is read: structures of every kind in settings drawn from all, and words with every sign. */
import { describe, expect, it } from 'vitest';
import { randomStructure } from '../../../demo/src/random-structure.ts';
import { allOperators, operatorStrings } from '../crystal/space-group.ts';
import { cellParameters } from '../crystal/cell.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import type { SampleRecord } from '../formats/cif-data.ts';
import { recognise, type Recognised } from '../formats/recognise.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { structureCif, type CifInput } from './structure-cif.ts';

const DATE = '2026-11-28';
const written = (more: Partial<CifInput> & Pick<CifInput, 'structure'>): string =>
  structureCif({ name: 'trip', experiment: { kept: {} }, date: DATE, exact: true, ...more });
const read = (text: string): Recognised => recognise(text, 'trip.cif')[0]!;

/** Numbers of a site; s.u. apart. */
const numbersOf = (x: Site): number[] => [
  ...x.position,
  x.occupancy,
  ...(x.displacement.kind === 'aniso' ? x.displacement.u : [x.displacement.u]),
];
/** What of a site is no number. An uncharged site says nothing of its charge. */
const wordsOf = (x: Site): string =>
  [x.label, x.element, x.charge || 0, x.displacement.kind, x.disorder?.assembly, x.disorder?.group].join(' ');

const differences = (one: Structure, two: Structure): string[] =>
  one.sites.flatMap((x, i) => {
    const y = two.sites[i];
    const alike =
      y && wordsOf(x) === wordsOf(y) && numbersOf(x).every((v, k) => Math.abs(v - numbersOf(y)[k]!) <= 0.51e-8);
    return alike
      ? []
      : [`${wordsOf(x)} ${numbersOf(x).join(' ')} became ${y && `${wordsOf(y)} ${numbersOf(y).join(' ')}`}`];
  });

describe('a structure in any setting', () => {
  const seeds = Array.from({ length: 40 }, (_, i) => i + 1);
  it.each(seeds)('comes back as it was (seed %i)', (seed) => {
    const s = randomStructure(seededRandom(seed), 6, { everything: true });
    const { structure, asides } = read(written({ structure: s }));
    expect(asides).toBeUndefined();
    expect(operatorStrings(structure!.spaceGroup).sort()).toEqual(operatorStrings(s.spaceGroup).sort());
    expect(structure!.spaceGroup.number).toBe(s.spaceGroup.number);
    expect(structure!.spaceGroup.hall).toBe(s.spaceGroup.hall);
    cellParameters(structure!.cell).forEach((x, i) => expect(x).toBeCloseTo(cellParameters(s.cell)[i]!, 7));
    expect(differences(s, structure!)).toEqual([]);
  });

  it('and the file of what was read is that of what it gives again', () => {
    for (const seed of seeds) {
      const s = randomStructure(seededRandom(seed), 3, { everything: true });
      const second = written({ structure: read(written({ structure: s })).structure! });
      expect(written({ structure: read(second).structure! })).toBe(second);
    }
  });

  it('keeps s.u. by the rule of 19: what is read differs by less than half of one', { tags: 'long' }, () => {
    for (const seed of seeds.slice(0, 20)) {
      const random = seededRandom(500 + seed);
      const s = randomStructure(random, 8);
      const su = (): number => 10 ** -(2 + 3 * random.next());
      const sites = s.sites.map((x): Site => ({ ...x, positionSu: [su(), su(), su()], occupancySu: 0 }));
      const back = read(written({ structure: { ...s, sites }, exact: false })).structure!;
      back.sites.forEach((x, i) =>
        x.position.forEach((v, k) => {
          const given = sites[i]!.positionSu![k]!;
          const off = Math.abs(v - sites[i]!.position[k]!);
          expect(off).toBeLessThanOrEqual(Math.max(0.5 * given, 1e-9));
          if (x.positionSu?.[k]) expect(Math.abs(x.positionSu[k]! / given - 1)).toBeLessThan(0.3);
        }),
      );
    }
  });
});

/** Texts that have tripped writers of CIF: quotes, keywords, leading signs, lines that begin with a semicolon. */
const WORDS = [
  "a wine's red",
  'say "deep" red',
  `both ' and " in one`,
  "ends with a quote'",
  '_begins_like_a_name',
  '#begins like a comment',
  '$frame',
  '[list]',
  'data_',
  'loop_',
  'save_x',
  'stop_',
  'global_',
  '?',
  '.',
  ';at once',
  'first\n;second begins with a semicolon',
  'two\nlines',
  'tab\there',
  '  blanks about  ',
  '0.5(2)',
  'Å, °, ×, µ, ä, 結晶',
  'x'.repeat(300),
  `${'long words '.repeat(40)}end`,
  'back\\slash\\',
  'ends\\',
];

const record = (random: Random): SampleRecord => {
  const word = (): string => WORDS[random.below(WORDS.length)]!;
  return {
    colour: word(),
    habit: word(),
    temperature: 90 + random.below(200),
    size: [0.31, 0.2, 0.11],
    z: 4,
    faces: [
      { hkl: [1, 0, 0], distance: 0.05 },
      { hkl: [-1, 0, 0], distance: 0.05 },
      { hkl: [0, 1, -2], distance: 0.11 },
      { hkl: [0, -1, 2], distance: 0.1 },
      { hkl: [1, 1, 3], distance: 0.07 },
    ],
    kept: { _exptl_special_details: word(), _chemical_name_common: word(), _exptl_crystal_preparation: word() },
  };
};

/** CIF has no way to write an unknown that means the sign itself; blanks about a text may go. */
const same = (x: string | undefined): string | undefined =>
  // A line of a text cannot begin with a semicolon either: a blank stands before it.
  x === '?' || x === '.' ? undefined : x?.trim().replace(/\n ;/g, '\n;');

describe('what is known of the crystal', () => {
  it.each(WORDS.map((w) => [w]))('keeps the words %j', (word) => {
    const structure = randomStructure(seededRandom(3), 3);
    const experiment: SampleRecord = { colour: word, habit: word, kept: { _exptl_special_details: word } };
    const back = read(written({ structure, experiment })).experiment;
    expect(same(back.colour)).toBe(same(word));
    expect(same(back.habit)).toBe(same(word));
    expect(same(back.kept['_exptl_special_details'])).toBe(same(word));
  });

  it('keeps them together, whatever stands beside what', () => {
    for (let seed = 1; seed <= 40; seed++) {
      const random = seededRandom(seed);
      const experiment = record(random);
      const structure = randomStructure(random, 3);
      const back = read(written({ structure, experiment, name: 'a name/with signs' })).experiment;
      expect([back.colour, back.habit].map(same)).toEqual([experiment.colour, experiment.habit].map(same));
      expect(back.temperature).toBe(experiment.temperature);
      expect(back.size).toEqual(experiment.size);
      expect(back.faces).toEqual(experiment.faces);
      for (const [tag, text] of Object.entries(experiment.kept)) expect(same(back.kept[tag])).toBe(same(text));
    }
  });
});

describe('how data were treated', () => {
  it('comes back: limits, twins by law, what was left out and why', () => {
    const treatment: Treatment = {
      dMin: 0.83,
      dMax: 12,
      extinction: true,
      excluded: [
        { h: 1, k: -2, l: 3, reason: "behind the beam stop, as 'seen'" },
        { h: 0, k: 0, l: 2, reason: 'overflowed' },
      ],
      twins: [
        { law: [-1, 0, 0, 0, 1, 0, 0, 0, -1], fraction: 0.31, su: 0.004, name: 'two-fold about b' },
        { law: [0, 1, 0, 1, 0, 0, 0, 0, -1], fraction: 0.12, su: 0.003, name: 'two-fold about [110]' },
      ],
    };
    const back = read(written({ structure: randomStructure(seededRandom(8), 4), treatment, exact: false })).treatment!;
    expect(back.dMin).toBe(0.83);
    expect(back.dMax).toBe(12);
    expect(back.excluded).toEqual(treatment.excluded);
    expect(back.twins!.map((t) => [t.law, t.fraction, t.name])).toEqual(
      treatment.twins!.map((t) => [t.law, t.fraction, t.name]),
    );
  });
});

describe('the group of a file', () => {
  it('is the same by its operators in any order and by its Hall symbol alone', () => {
    for (let seed = 1; seed <= 30; seed++) {
      const random = seededRandom(900 + seed);
      const { spaceGroup, cell } = randomStructure(random, 1);
      const head = ['data_x', ...cellParameters(cell).map((x, i) => `${CELL_TAGS[i]} ${x.toFixed(6)}`)];
      const site = ['loop_', '_atom_site_label', ...'xyz'.split('').map((x) => `_atom_site_fract_${x}`), 'C1 .1 .2 .3'];
      const operators = operatorStrings(spaceGroup);
      for (let i = operators.length - 1; i > 0; i--) {
        const j = random.below(i + 1);
        [operators[i], operators[j]] = [operators[j]!, operators[i]!];
      }
      const shuffled = [
        ...head,
        'loop_',
        '_space_group_symop_operation_xyz',
        ...operators.map((o) => `'${o}'`),
        ...site,
      ];
      const named = [...head, `_space_group_name_Hall '${spaceGroup.hall}'`, ...site];
      for (const lines of [shuffled, named]) {
        const found = read(lines.join('\n')).structure!.spaceGroup;
        expect(found.number).toBe(spaceGroup.number);
        expect(allOperators(found)).toHaveLength(operators.length);
        expect(operatorStrings(found).sort()).toEqual([...operators].sort());
      }
    }
  });
});

const CELL_TAGS = ['length_a', 'length_b', 'length_c', 'angle_alpha', 'angle_beta', 'angle_gamma'].map(
  (x) => `_cell_${x}`,
);
