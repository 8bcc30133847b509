import { describe, expect, it } from 'vitest';
import { isInside } from './use-hands.ts';

const at = (x: number, y: number) => ({ x, y });

describe('a line drawn around atoms', () => {
  const bay = [at(0, 0), at(10, 0), at(10, 10), at(5, 3), at(0, 10)];
  it('holds what lies inside, bays left out', () => {
    expect(isInside(at(2, 2), bay)).toBe(true);
    expect(isInside(at(9, 6), bay)).toBe(true);
    expect(isInside(at(5, 8), bay)).toBe(false);
    expect(isInside(at(12, 5), bay)).toBe(false);
  });
  it('holds nothing where it is no area', () => {
    expect(isInside(at(1, 1), [])).toBe(false);
    expect(isInside(at(1, 1), [at(0, 0), at(2, 2)])).toBe(false);
  });
});
