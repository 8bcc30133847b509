import type { Check } from '../check.ts';

export const carbonAverage: Check = {
  id: 'carbon average',
  family: 'geometry',
  name: 'Average C–C of flat rings',
  looks:
    'Mean of C–C bonds between three-bonded carbons of 1.34 to 1.44 Å: 1.375 to 1.400 Å is usual. A shift of all of them points to a wrong cell or wavelength.',
  run: (c) => {
    const list = c
      .bonds()
      .filter(
        (b) =>
          b.from < b.to &&
          c.s.sites[b.from]!.element === 'C' &&
          c.s.sites[b.to]!.element === 'C' &&
          c.bondsOf(b.from).length === 3 &&
          c.bondsOf(b.to).length === 3 &&
          b.distance > 1.33 &&
          b.distance < 1.45 &&
          !c.s.sites[b.from]!.disorder,
      );
    if (list.length < 6) return [];
    const mean = list.reduce((s, b) => s + b.distance, 0) / list.length;
    return mean > 1.37 && mean < 1.405
      ? []
      : [
          {
            severity: mean < 1.35 || mean > 1.425 ? 'mend' : 'explain',
            value: mean,
            unit: 'Å',
            title: `Flat-ring C–C bonds average ${mean.toFixed(3)} Å over ${list.length}`,
            detail: 'The usual mean is 1.385 Å. When every bond is off alike, the cell or the wavelength is.',
            remedies: [{ act: 'go', station: 'intake', words: 'Check the cell and the wavelength' }],
          },
        ];
  },
};
