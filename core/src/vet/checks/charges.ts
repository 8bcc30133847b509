import type { Check } from '../check.ts';

/** Charge a site shows by its partners: four-bonded nitrogen +1, lone halides −1, half of each oxygen of a carboxylate without hydrogen. */
export const charges: Check = {
  id: 'charges',
  family: 'geometry',
  name: 'Charges that do not balance',
  looks:
    'Ammonium and pyridinium nitrogens, carboxylates, sulfonates, halide and tetrafluoroborate ions; only where no metal leaves the count open.',
  run: (c) => {
    if (!c.s.sites.length || c.s.sites.some((_, i) => c.metal(i))) return [];
    let sum = 0;
    const seen: string[] = [];
    const add = (q: number, i: number, what: string): void => {
      const w = (c.s.sites[i]!.occupancy / c.siteOrder()[i]!) * q;
      sum += w;
      seen.push(`${c.label(i)} ${what}`);
    };
    c.s.sites.forEach((x, i) => {
      // Of several places one counts.
      const first = (b: { to: number }): boolean =>
        ['1', '-1', undefined].includes(c.s.sites[b.to]!.disorder?.group) ||
        c.s.sites[b.to]!.disorder?.group === x.disorder?.group;
      const all = c.bondsOf(i).filter(first),
        heavy = c.heavyBondsOf(i).filter(first);
      if (x.element === 'N' && all.length === 4) add(1, i, '+1');
      else if (
        x.element === 'N' &&
        heavy.length === 2 &&
        all.length === 3 &&
        heavy.every((b) => b.distance < 1.37 && c.bondsOf(b.to).length === 3) &&
        pyridine(c, i)
      )
        add(1, i, '+1');
      else if (['Cl', 'Br', 'I', 'F'].includes(x.element) && !all.length) add(-1, i, '−1');
      else if (x.element === 'B' && heavy.length === 4) add(-1, i, '−1');
      else if (x.element === 'C' || x.element === 'S' || x.element === 'P' || x.element === 'Cl') {
        const ends = heavy.filter((b) => c.s.sites[b.to]!.element === 'O' && c.bondsOf(b.to).length === 1);
        if (x.element === 'C' && ends.length === 2 && ends.every((b) => b.distance < 1.3)) add(-1, i, 'carboxylate −1');
        if (x.element === 'S' && ends.length === 3 && heavy.length === 4) add(-1, i, 'sulfonate −1');
        if (x.element === 'Cl' && ends.length === 4) add(-1, i, 'perchlorate −1');
      } else if (
        x.element === 'O' &&
        all.length === 1 &&
        heavy.length === 1 &&
        c.s.sites[heavy[0]!.to]!.element === 'C' &&
        heavy[0]!.distance > 1.3
      )
        add(-1, i, '−1 (no hydrogen)');
      else if (x.element === 'O' && all.length === 3 && heavy.length <= 1) add(1, i, '+1');
    });
    if (Math.abs(sum) < 0.2) return [];
    return [
      {
        severity: 'explain',
        value: sum,
        title: `The charges seen add up to ${sum > 0 ? '+' : '−'}${Math.abs(sum).toFixed(1)}`,
        detail: `${seen.slice(0, 8).join(', ')}. A hydrogen too many or too few, or an ion that is missing.`,
        remedies: [{ act: 'go', station: 'refine', sheet: 'Hydrogens', words: 'See the hydrogens' }],
      },
    ];
  },
};

/** Part of a six-membered flat ring. */
function pyridine(c: Parameters<Check['run']>[0], i: number): boolean {
  const [a, b] = c.heavyBondsOf(i).map((x) => x.to) as [number, number];
  const second = (j: number): number[] =>
    c
      .heavyBondsOf(j)
      .map((x) => x.to)
      .filter((k) => k !== i);
  return second(a).some((p) =>
    second(b).some((q) =>
      c.heavyBondsOf(p).some((x) => c.heavyBondsOf(q).some((y) => y.to === x.to && x.to !== a && x.to !== b)),
    ),
  );
}
