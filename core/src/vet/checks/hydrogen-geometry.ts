import type { Check } from '../check.ts';

const RANGE: Record<string, readonly [number, number]> = {
  C: [0.88, 1.1],
  N: [0.75, 1.08],
  O: [0.68, 1.05],
  B: [1.0, 1.3],
  S: [1.15, 1.45],
};

export const hydrogenGeometry: Check = {
  id: 'hydrogen geometry',
  family: 'geometry',
  name: 'Hydrogen geometry',
  looks: 'X–H distances as X-rays see them: C–H 0.88–1.10, N–H 0.75–1.08, O–H 0.68–1.05 Å.',
  run: (c) => {
    const off = c.s.sites.flatMap((_, i) => {
      if (!c.hydrogen(i)) return [];
      const b = c.bondsOf(i)[0];
      const r = b && RANGE[c.s.sites[b.to]!.element];
      return b && r && (b.distance < r[0] || b.distance > r[1]) ? [{ i, b }] : [];
    });
    return off.slice(0, 8).map(({ i, b }) => ({
      key: c.s.sites[i]!.id,
      severity: b.distance < 0.6 || b.distance > 1.35 ? ('mend' as const) : ('explain' as const),
      value: b.distance,
      unit: 'Å',
      sites: [i, b.to],
      title: `${c.label(b.to)}–${c.label(i)} is ${b.distance.toFixed(2)} Å`,
      detail: 'A hydrogen refined freely has gone astray, or was placed on the wrong density.',
      remedies: [
        { act: 'go' as const, station: 'refine' as const, sheet: 'Hydrogens', words: 'Let it ride' },
        { act: 'delete' as const, sites: [i], words: 'Delete it' },
      ],
    }));
  },
};
