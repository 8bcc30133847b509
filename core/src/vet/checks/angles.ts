import type { Check } from '../check.ts';
import { angleOf } from '../../geometry/points.ts';
import { apply3 } from '../../math/matrix3.ts';
import { orthogonalization } from '../../crystal/cell.ts';

export const angles: Check = {
  id: 'angles',
  family: 'geometry',
  name: 'Bond angles',
  looks:
    'Angles at carbon by its number of partners: 90–128° with four, 104–136° with three; outside must be explained unless a small ring asks for it.',
  run: (c) => {
    const m = orthogonalization(c.s.cell);
    const out: { at: number; i: number; j: number; a: number }[] = [];
    c.s.sites.forEach((x, at) => {
      if (x.element !== 'C' || x.disorder) return;
      const near = c.bondsOf(at).filter((b) => !c.hydrogen(b.to));
      const n = c.bondsOf(at).length;
      if (n < 3 || n > 4 || near.some((b) => c.metal(b.to) || c.s.sites[b.to]!.disorder)) return;
      for (let i = 0; i < near.length; i++)
        for (let j = 0; j < i; j++) {
          // Rings of three and four bend their angles.
          const small =
            c.bondsOf(near[i]!.to).some((b) => b.to === near[j]!.to) ||
            c.bondsOf(near[i]!.to).some((b) => b.to !== at && c.bondsOf(b.to).some((d) => d.to === near[j]!.to));
          if (small) continue;
          const a = angleOf([apply3(m, near[i]!.position), apply3(m, x.position), apply3(m, near[j]!.position)]);
          const [low, high] = n === 4 ? [90, 128] : [104, 136];
          if (a < low! || a > high!) out.push({ at, i: near[i]!.to, j: near[j]!.to, a });
        }
    });
    return out.slice(0, 6).map((o) => ({
      key: `${c.s.sites[o.at]!.id} ${c.s.sites[o.i]!.id}`,
      severity: 'explain' as const,
      value: o.a,
      unit: '°',
      sites: [o.i, o.at, o.j],
      title: `The angle ${c.label(o.i)}–${c.label(o.at)}–${c.label(o.j)} is ${o.a.toFixed(1)}°`,
      detail: 'Unusual for this number of partners: a missing hydrogen, a wrong element or a second place.',
      remedies: [
        {
          act: 'go' as const,
          station: 'refine' as const,
          sheet: 'Expected molecule',
          words: 'Compare with the expected molecule',
        },
      ],
    }));
  },
};
