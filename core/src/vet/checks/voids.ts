import type { Check } from '../check.ts';
import { findVoids } from '../../maps/solvent-mask.ts';

export const voids: Check = {
  id: 'voids',
  family: 'contents',
  name: 'Solvent-accessible voids',
  looks:
    'Room for a sphere of 1.2 Å between van der Waals spheres: 40 Å³ holds a water, 90 Å³ a small solvent molecule.',
  run: (c) => {
    if (!c.s.sites.length || c.input.treatment?.mask || c.volume > 30000) return [];
    const size = (x: number): number => Math.max(8, Math.ceil(x / 0.45));
    const v = findVoids(c.s, { nx: size(c.s.cell.a), ny: size(c.s.cell.b), nz: size(c.s.cell.c) }, 1.2, 40);
    const worst = [...v.list].sort((p, q) => q.volume - p.volume)[0];
    if (!worst || worst.volume < 40) return [];
    return [
      {
        severity: 'explain',
        value: worst.volume,
        unit: 'Å³',
        at: worst.centre,
        title: `A void of ${worst.volume.toFixed(0)} Å³`,
        detail: `${v.list.length === 1 ? 'One void' : `${v.list.length} voids`}, ${v.volume.toFixed(0)} Å³ of the cell's ${c.volume.toFixed(0)} Å³ in all; the largest at ${worst.centre.map((x) => x.toFixed(2)).join(', ')}. Solvent may be missing.`,
        remedies: [
          { act: 'go', station: 'refine', sheet: 'Residual density', words: 'Look for density there' },
          { act: 'go', station: 'refine', sheet: 'Data', words: 'Correct for solvent that cannot be modelled' },
        ],
      },
    ];
  },
};
