import { isHome } from '../../crystal/atom-ref.ts';
import type { Check } from '../check.ts';

export const connectedUnitCheck: Check = {
  id: 'connected unit',
  family: 'symmetry',
  name: 'Asymmetric unit',
  looks: 'Whether bonded sites lie beside one another, and the unit in or near the cell.',
  run: (c) => {
    const loose = c.bonds().filter((b) => b.from < b.to && !isHome(b));
    // Bonds across an element (polymers, molecules about a centre) leave copies whatever is done.
    const inside = new Set(
      c
        .bonds()
        .filter(isHome)
        .flatMap((b) => [`${b.from}`, `${b.to}`]),
    );
    const lost = loose
      .filter((b) => !inside.has(`${b.from}`) || !inside.has(`${b.to}`))
      .filter((b) => !c.metal(b.from) && !c.metal(b.to));
    const sites = [...new Set(lost.flatMap((b) => [b.from, b.to]))];
    const far = c.s.sites.flatMap((x, i) => (x.position.some((v) => v < -1.2 || v > 2.2) ? [i] : []));
    return [
      ...(lost.length && c.s.sites.length > 3
        ? [
            {
              key: 'loose',
              severity: 'know' as const,
              sites,
              value: lost.length,
              title: `${c.labels(sites)} are bonded only through symmetry`,
              detail: 'The asymmetric unit is easier to read as connected molecules.',
              remedies: [{ act: 'connect' as const, words: 'Connect it' }],
            },
          ]
        : []),
      ...(far.length
        ? [
            {
              key: 'far',
              severity: 'know' as const,
              sites: far,
              value: far.length,
              title: `${c.labels(far)} lie far outside the cell`,
              detail: 'Equivalent places nearer to the cell are usual.',
              remedies: [{ act: 'connect' as const, words: 'Bring them in' }],
            },
          ]
        : []),
    ];
  },
};
