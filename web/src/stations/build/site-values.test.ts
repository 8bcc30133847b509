import { describe, expect, it } from 'vitest';
import { placeOf, typedValues, type TypedSite } from './site-values.ts';

const BEFORE: TypedSite = { label: 'O1', element: 'O', place: '0.1 0.2 0.3', occupancy: '1', u: '0.03', charge: '' };
const typed = (more: Partial<TypedSite>) => typedValues({ ...BEFORE, ...more }, BEFORE);

describe('a place', () => {
  it.each([
    ['0.1 0.2 0.3', [0.1, 0.2, 0.3]],
    ['1/3 2/3 0.25', [1 / 3, 2 / 3, 0.25]],
    ['0.1; 0.2; 0.3', [0.1, 0.2, 0.3]],
    ['0.1, 0.2, 0.3', [0.1, 0.2, 0.3]],
    ['  .5   0  -0.25 ', [0.5, 0, -0.25]],
    ['−0.5 0 0', [-0.5, 0, 0]],
    ['0,1 0,2 0,3', [0.1, 0.2, 0.3]],
    ['0.12(3) 0.2 0.3', [0.12, 0.2, 0.3]],
  ] as const)('%j is three fractions', (text, place) => {
    placeOf(text)!.forEach((x, k) => expect(x).toBeCloseTo(place[k]!, 12));
  });
  it.each(['', '0.1 0.2', '0.1 0.2 0.3 0.4', 'x y z', '0.1 0.2 1/0', '0.1 0.2 1e999', 'NaN 0 0'])(
    '%j is none',
    (text) => {
      expect(placeOf(text)).toBeUndefined();
    },
  );
});

describe('what was typed', () => {
  it('is nothing where nothing was changed, blanks apart', () => {
    expect(typed({})).toEqual({});
    expect(typed({ label: ' O1 ', place: ' 0.1 0.2 0.3 ' })).toEqual({});
  });

  it('holds what was changed alone', () => {
    expect(typed({ label: 'O2 ' })).toEqual({ values: { label: 'O2' } });
    expect(typed({ element: 'N' })).toEqual({ values: { element: 'N' } });
    expect(typed({ place: '1/2 0 0' })).toEqual({ values: { position: [0.5, 0, 0] } });
    expect(typed({ occupancy: '1/2', u: '0.05' })).toEqual({ values: { occupancy: 0.5, u: 0.05 } });
  });

  it('takes charges with either minus, and takes one away', () => {
    expect(typed({ charge: '−2' })).toEqual({ values: { charge: -2 } });
    expect(typed({ charge: '-1' })).toEqual({ values: { charge: -1 } });
    expect(typed({ charge: '+3' })).toEqual({ values: { charge: 3 } });
    expect(typedValues({ ...BEFORE, charge: '' }, { ...BEFORE, charge: '2' })).toEqual({ values: { charge: null } });
  });

  it.each([
    [{ place: 'here' }, 'A place is three fractions, as 1/3 2/3 0.25.'],
    [{ occupancy: 'half' }, 'The occupancy is no number.'],
    [{ u: '' }, 'U is no number.'],
    [{ charge: 'two' }, 'The charge is a number, as 2 or −1.'],
  ] as const)('%j is answered in a sentence, and changes nothing', (more, problem) => {
    expect(typed({ label: 'O9', ...more })).toEqual({ problem });
  });
});
