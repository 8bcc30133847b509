import { operatorOf } from '../../crystal/atom-ref.ts';
import type { Check } from '../check.ts';
import { dot, normalize, subtract, apply3 } from '../../math/matrix3.ts';
import { orthogonalization } from '../../crystal/cell.ts';

export const rigidBond: Check = {
  id: 'rigid bonds',
  family: 'displacement',
  name: 'Rigid-bond test',
  looks:
    'Mean-square displacements of bonded atoms along their bond (Hirshfeld 1976): equal within 0.008 Å² between elements of like weight.',
  run: (c) => {
    const m = orthogonalization(c.s.cell);
    const bad: { i: number; j: number; d: number }[] = [];
    for (const b of c.bonds()) {
      if (b.from > b.to || c.hydrogen(b.from) || c.hydrogen(b.to) || c.metal(b.from) || c.metal(b.to)) continue;
      const u = c.tensor()[b.from],
        v = c.tensor()[b.to];
      // Copies turn the tensor; bonds within the unit are enough for the test.
      if (
        !u ||
        !v ||
        operatorOf(c.s.spaceGroup, b).r.some((x, k) => x !== (k % 4 ? 0 : 1)) ||
        c.s.sites[b.from]!.disorder ||
        c.s.sites[b.to]!.disorder
      )
        continue;
      const n = normalize(subtract(apply3(m, b.position), apply3(m, c.s.sites[b.from]!.position)));
      const d = dot(n, apply3(u, n)) - dot(n, apply3(v, n));
      if (Math.abs(d) > 0.008) bad.push({ i: b.from, j: b.to, d });
    }
    if (!bad.length) return [];
    bad.sort((p, q) => Math.abs(q.d) - Math.abs(p.d));
    const sites = [...new Set(bad.flatMap((x) => [x.i, x.j]))];
    return [
      {
        severity: Math.abs(bad[0]!.d) > 0.03 ? 'mend' : 'explain',
        value: Math.abs(bad[0]!.d),
        unit: 'Å²',
        sites,
        title: `${bad.length} bond${bad.length > 1 ? 's move' : ' moves'} unlike a rigid one`,
        detail: `Along ${bad
          .slice(0, 4)
          .map((x) => `${c.label(x.i)}–${c.label(x.j)} by ${Math.abs(x.d).toFixed(3)} Å²`)
          .join(', ')}. A wrong element, disorder, or absorption.`,
        remedies: [
          { act: 'rigid bonds', sites, words: 'Restrain them' },
          { act: 'go', station: 'refine', sheet: 'Residual density', words: 'Count electrons' },
        ],
      },
    ];
  },
};
