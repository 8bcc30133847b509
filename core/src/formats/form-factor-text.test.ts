import { describe, expect, it } from 'vitest';
import { FileProblem } from './cif-parser.ts';
import { formFactorText, isFormFactorText, readFormFactors } from './form-factor-text.ts';

const made = {
  method: 'hybrid density functional',
  basis: '6-31G(d,p)',
  neighbours: 'each molecule alone',
  factors: {
    sites: ['a', 'b'],
    h: Int16Array.of(0, 1, 2),
    k: Int16Array.of(0, -1, 3),
    l: Int16Array.of(1, 0, -12),
    real: Float64Array.of(7.5, 6.25, 1.125, 0.9, 0.5, -0.0625),
    imaginary: Float64Array.of(0.5, -0.25, 0.03125, 0, 0.001, -0.002),
  },
};
const labels = ['O1', 'H1a'];
const idOf = (label: string): string | undefined => ({ O1: 'a', H1a: 'b' })[label];

describe('form factors as text', () => {
  it('come back as they were written, however the lines end', () => {
    const text = formFactorText(made, labels);
    expect(isFormFactorText(text)).toBe(true);
    expect(readFormFactors(text, idOf)).toEqual(made);
    expect(readFormFactors(text.replaceAll('\n', '\r\n'), idOf)).toEqual(made);
    const iterated = { ...made, division: 'iterated stockholder' };
    expect(readFormFactors(formFactorText(iterated, labels), idOf)).toEqual(iterated);
  });

  it('are refused with their line where they are wrong', () => {
    const text = formFactorText(made, labels);
    const lines = text.split('\n');
    const at = lines.findIndex((l) => l.startsWith('1 -1 0'));
    const change = (line: string): string => lines.with(at, line).join('\n');
    for (const bad of ['1 -1 0 7.5', '1 -1 0 x 1 2 3', '-1 1 0 1 2 3 4', '1.5 0 0 1 2 3 4', '1 0 0 1 2 3 4 5'])
      expect(() => readFormFactors(change(bad), idOf), bad).toThrow(new RegExp(`^Line ${at + 1}:`));
    expect(() => readFormFactors(text, () => undefined)).toThrow(/O1, which the model does not hold/);
    expect(() => readFormFactors('h k l', idOf)).toThrow(FileProblem);
  });
});
