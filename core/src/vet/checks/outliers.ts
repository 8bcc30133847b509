import type { Check } from '../check.ts';

export const outliers: Check = {
  id: 'outliers',
  family: 'data',
  name: 'Reflections that disagree',
  looks: 'Weighted differences √w·|Fo² − Fc²|/S beyond 8 must be explained.',
  needs: ['merged data', 'refinement'],
  run: (c) => {
    const e = c.evaluated(),
      r = c.input.reflections,
      readings = c.input.readings;
    if (!e || !r || !readings) return [];
    const { data } = e;
    const list: { i: number; d: number }[] = [];
    for (let i = 0; i < data.used.length; i++) {
      const fo = data.fo2[i]!,
        fc = data.fc2[i]!,
        P = (Math.max(fo, 0) + 2 * fc) / 3;
      const d =
        Math.abs(fo - fc) /
        Math.sqrt(data.sigma[i]! ** 2 + (readings.weights.a * P) ** 2 + readings.weights.b * P) /
        Math.max(0.5, readings.s);
      if (d > 8) list.push({ i, d });
    }
    if (!list.length) return [];
    list.sort((p, q) => q.d - p.d);
    const hkl = list.slice(0, 12).map(({ i }): [number, number, number] => {
      const u = data.used[i]!;
      return [r.h[u]!, r.k[u]!, r.l[u]!];
    });
    return [
      {
        severity: 'explain',
        value: list[0]!.d,
        title: `${list.length === 1 ? 'One reflection disagrees' : `${list.length} reflections disagree`} by more than 8 s.u.`,
        detail: `Worst: ${hkl
          .slice(0, 4)
          .map((x, k) => `${x.join(' ')} (${list[k]!.d.toFixed(1)})`)
          .join(', ')}. Behind the beam stop, overflowed, or overlapped.`,
        reflections: hkl,
        remedies: [
          {
            act: 'exclude',
            reflections: hkl.slice(0, 3),
            reason: 'disagrees by more than 8 s.u.',
            words: `Leave out the worst ${Math.min(3, hkl.length)}`,
          },
          { act: 'go', station: 'refine', sheet: 'Data', words: 'See them in the plots' },
        ],
      },
    ];
  },
};
