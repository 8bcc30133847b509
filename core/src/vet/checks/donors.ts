import type { Check } from '../check.ts';
import { fractionalDistance, metricTensor } from '../../crystal/cell.ts';

export const donors: Check = {
  id: 'donors',
  family: 'geometry',
  name: 'Donor without acceptor',
  looks: 'O–H and N–H whose hydrogen finds no O, N or halogen within 2.65 Å (2.9 Å for heavier acceptors).',
  run: (c) => {
    const out = c.s.sites.flatMap((x, i) => {
      if (!c.hydrogen(i) || x.disorder) return [];
      const parent = c.bondsOf(i)[0];
      if (!parent || !['O', 'N'].includes(c.s.sites[parent.to]!.element)) return [];
      const accepted = c
        .contacts()
        .some(
          (n) =>
            n.from === i &&
            ['O', 'N', 'F', 'Cl', 'Br', 'I', 'S'].includes(c.s.sites[n.to]!.element) &&
            n.distance < (['O', 'N', 'F'].includes(c.s.sites[n.to]!.element) ? 2.65 : 2.9),
        );
      // An intramolecular acceptor across a torsion counts too.
      const inside = c.s.sites.some(
        (y, j) => ['O', 'N', 'F', 'Cl', 'Br', 'I', 'S'].includes(y.element) && j !== parent.to && near(c, i, j) < 2.65,
      );
      return accepted || inside ? [] : [{ i, parent: parent.to }];
    });
    return out.slice(0, 8).map(({ i, parent }) => ({
      key: c.s.sites[i]!.id,
      severity: c.s.sites[parent]!.element === 'O' ? ('explain' as const) : ('know' as const),
      sites: [parent, i],
      title: `${c.label(parent)}–${c.label(i)} finds no acceptor`,
      detail: 'Hydroxyl hydrogens nearly always point at an acceptor; check its direction.',
      remedies: [
        { act: 'turn hydrogen' as const, sites: [i], words: `Place the hydrogens of ${c.label(parent)} anew` },
      ],
    }));
  },
};

const near = (c: Parameters<Check['run']>[0], i: number, j: number): number =>
  fractionalDistance(metricTensor(c.s.cell), c.s.sites[i]!.position, c.s.sites[j]!.position);
