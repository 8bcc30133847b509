import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { recognise } from '../formats/recognise.ts';
import { wishSurface } from '../contacts/wish-field.ts';
import { wishesOf } from './wishes-task.ts';

const structure = () => {
  const found = recognise(readFileSync('demo/truth/asagi-8.cif', 'utf8'), 'asagi-8.cif').find((x) => x.structure);
  if (!found?.structure) throw new Error('no structure');
  return found.structure;
};

describe('surfaces of wishes', () => {
  it('pass where the field has their level, and shrink as it rises', () => {
    const { grids } = wishesOf({ structure: structure(), probes: ['donor', 'acceptor'], step: 0.4 });
    for (const g of grids) {
      const [low, high] = [wishSurface(g, 4), wishSurface(g, 20)];
      expect(low.positions.length).toBeGreaterThan(high.positions.length);
      const [nx, ny] = g.size;
      const value = (p: readonly number[]): number => {
        const u = p.map((x, k) => (x - g.origin[k]!) / g.step);
        const base = u.map(Math.floor);
        let sum = 0;
        for (let c = 0; c < 8; c++) {
          const at = base.map((b, k) => b + ((c >> k) & 1));
          const w = u.map((x, k) => ((c >> k) & 1 ? x - base[k]! : 1 - (x - base[k]!)));
          sum += w[0]! * w[1]! * w[2]! * g.values[at[0]! + nx * (at[1]! + ny * at[2]!)]!;
        }
        return sum;
      };
      let near = 0;
      for (let i = 0; i < high.positions.length; i += 3) {
        const v = value([high.positions[i]!, high.positions[i + 1]!, high.positions[i + 2]!]);
        if (v > 5 && v < 60) near++;
      }
      expect(near / (high.positions.length / 3)).toBeGreaterThan(0.9);
    }
  });
});
