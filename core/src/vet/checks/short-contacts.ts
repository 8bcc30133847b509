import { isHome } from '../../crystal/atom-ref.ts';
import type { Check } from '../check.ts';
import { elementOf } from '../../crystal/elements.ts';

export const tooNear: Check = {
  id: 'short contacts',
  family: 'geometry',
  name: 'Contacts too short',
  looks:
    'Atoms not bonded to one another nearer than their van der Waals radii allow: H⋯H below 1.9 Å, a hydrogen below 80 % of the sum less 0.06 Å (1.35 Å in a hydrogen bond), others below 82 % (2.3 Å between N, O, S and halogens) must be explained; below 1.7 Å, 68 % (1.2 Å), 72 % (2.1 Å) mended. Within a molecule some 7 % less.',
  run: (c) => {
    const acceptor = new Set(['O', 'N', 'F', 'Cl', 'Br', 'I', 'S']);
    const seen = new Set<string>();
    const home = c.s.sites.map(() => 0);
    c.fragments().forEach((f, k) => f.forEach((i) => (home[i] = k)));
    const bad = c
      .contacts()
      .flatMap((n) => {
        const p = c.s.sites[n.from]!,
          q = c.s.sites[n.to]!;
        const hp = c.hydrogen(n.from),
          hq = c.hydrogen(n.to);
        const sum = elementOf(p.element).vdwRadius + elementOf(q.element).vdwRadius;
        const donorTo = (h: number, x: string): boolean =>
          acceptor.has(x) && c.bondsOf(h).some((b) => ['O', 'N', 'F', 'S'].includes(c.s.sites[b.to]!.element));
        let need: number, worst: number;
        if (hp && hq) {
          need = 1.9;
          worst = 1.7;
        } else if (hp !== hq) {
          if (donorTo(hp ? n.from : n.to, (hp ? q : p).element)) {
            need = 1.35;
            worst = 1.2;
          } else {
            need = 0.8 * sum - 0.06;
            worst = 0.68 * sum;
          }
        } else {
          // Two heavy atoms of a hydrogen bond, or ions, come near without harm.
          const polar = acceptor.has(p.element) && acceptor.has(q.element);
          if (c.metal(n.from) || c.metal(n.to)) return [];
          need = polar ? 2.3 : 0.82 * sum;
          worst = polar ? 2.1 : 0.72 * sum;
        }
        // Within one molecule a fold brings atoms nearer than strangers come.
        const own = home[n.from] === home[n.to] && isHome(n);
        if (own) {
          need *= 0.93;
          worst *= 0.9;
        }
        if (n.distance > need) return [];
        const key = [p.id, q.id].sort().join();
        if (seen.has(key)) return [];
        seen.add(key);
        // Places that are only partly filled need not be filled at once.
        return [{ n, need, mend: n.distance < worst && p.occupancy > 0.999 && q.occupancy > 0.999 }];
      })
      .sort((a, b) => a.n.distance / a.need - b.n.distance / b.need);
    return bad.slice(0, 8).map(({ n, need, mend }) => {
      const h = [n.from, n.to].filter((i) => c.hydrogen(i));
      return {
        key: [c.s.sites[n.from]!.id, c.s.sites[n.to]!.id].sort().join(' '),
        severity: mend ? ('mend' as const) : ('explain' as const),
        value: n.distance,
        unit: 'Å',
        sites: [n.from, n.to],
        title: `${c.label(n.from)}⋯${c.label(n.to)} is ${n.distance.toFixed(2)} Å`,
        detail: `At least ${need.toFixed(2)} Å would be expected between atoms that are not bonded. ${h.length ? 'A hydrogen points the wrong way, or one too many was placed.' : 'A wrong element, a second place, or an atom that is not there.'}`,
        remedies: [
          ...(h.length
            ? [
                {
                  act: 'turn hydrogen' as const,
                  sites: h,
                  words: `Place the hydrogens of ${c.label(c.bondsOf(h[0]!)[0]?.to ?? h[0]!)} anew`,
                },
                { act: 'delete' as const, sites: [h[0]!], words: `Delete ${c.label(h[0]!)}` },
              ]
            : [{ act: 'second place' as const, sites: [n.from], words: 'Treat as disordered' }]),
        ],
      };
    });
  },
};
