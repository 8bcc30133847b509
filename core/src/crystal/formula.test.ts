import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { formulaElectrons, formulaText, formulaWeight, parseFormula } from './formula.ts';

describe('formulae', () => {
  it.each([
    ['C14 H16 N2 O3', { C: 14, H: 16, N: 2, O: 3 }],
    ['C14H16N2O3', { C: 14, H: 16, N: 2, O: 3 }],
    ['(C6 H5)2 O', { C: 12, H: 10, O: 1 }],
    ['[Co (N H3)6] Cl3', { Co: 1, N: 6, H: 18, Cl: 3 }],
    ['Ca0.5 Sr0.5 Ti O3', { Ca: 0.5, Sr: 0.5, Ti: 1, O: 3 }],
    ["'Na Cl'", { Na: 1, Cl: 1 }],
    ['C2 H6 O, C2 H6 O', { C: 4, H: 12, O: 2 }],
    ['CO', { C: 1, O: 1 }],
    ['Co', { Co: 1 }],
    ['C12. H.5', { C: 12, H: 0.5 }],
    ['C4 H6 Cu O4, 2(H2 O)', { C: 4, H: 10, Cu: 1, O: 6 }],
    ['C4 H6 Cu O4,0.5(C H4 O)', { C: 4.5, H: 8, Cu: 1, O: 4.5 }],
    ['2(C6 H5 O 1-), Ca 2+', { C: 12, H: 10, O: 2, Ca: 1 }],
    ['(Cd 2+)3, (C6 N6 Cr 3-)2, 2(H2 O)', { Cd: 3, C: 12, N: 12, Cr: 2, H: 4, O: 2 }],
    ['C4 H12 N 1+, Cl 1-', { C: 4, H: 12, N: 1, Cl: 1 }],
    ['(Ca0.5, Sr0.5) Ti O3', { Ca: 0.5, Sr: 0.5, Ti: 1, O: 3 }],
    ['CuSO4·5H2O', { Cu: 1, S: 1, O: 9, H: 10 }],
    ['Cu S O4 . 5 H2 O', { Cu: 1, S: 1, O: 9, H: 10 }],
    ['[Co (N H3)6] Cl3 * H2 O', { Co: 1, N: 6, H: 20, Cl: 3, O: 1 }],
    ['', {}],
  ])('%s is read', (text, counts) => expect(parseFormula(text)).toEqual(counts));

  it.each([
    ['C6 Xx', '"Xx"'],
    ['C6 H5)', 'not opened'],
    ['(C6 H5', 'leaves a bracket open'],
    ['C6 ? H5', '"? H5"'],
    ['2', '"2" in the formula'],
    ['C2 H6, 3', '"3" in the formula'],
    ['CH.', '"." in the formula "CH."'],
    ['(C H).', '"." in the formula'],
    ['C2000000', 'more C than a formula can hold'],
    [`H${'9'.repeat(400)}`, 'more H than a formula can hold'],
    ['((C999 H)999)999 O', 'more C than a formula can hold'],
  ])('%s is refused with what is wrong', (text, words) => expect(() => parseFormula(text)).toThrow(words));

  it('are written with carbon and hydrogen first, and come back', () => {
    expect(formulaText({ O: 1, H: 4, C: 1 })).toBe('C H4 O');
    expect(formulaText({ O: 3, Ti: 1, Ca: 1 })).toBe('Ca O3 Ti');
    expect(formulaText({ C: 1, H: 0, O: 2 })).toBe('C O2');
    const { below, next } = seededRandom(5);
    const elements = ['C', 'H', 'N', 'O', 'Cl', 'Fe', 'Br', 'Si'];
    for (let n = 0; n < 50; n++) {
      const made = Object.fromEntries(
        elements
          .filter(() => next() < 0.5)
          .map((e) => [e, next() < 0.3 ? Math.round(100 * (0.1 + next())) / 100 : 1 + below(40)]),
      );
      expect(parseFormula(formulaText(made))).toEqual(made);
    }
  });

  it('have the masses and electrons of their atoms', () => {
    expect(formulaWeight({ H: 2, O: 1 })).toBeCloseTo(18.015, 2);
    expect(formulaWeight({ C: 6, H: 12, O: 6 })).toBeCloseTo(180.156, 2);
    expect(formulaElectrons({ C: 6, H: 12, O: 6 })).toBe(96);
    expect(formulaWeight({})).toBe(0);
  });
});
