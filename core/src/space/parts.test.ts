import { describe, expect, it } from 'vitest';
import { Places } from './grid-steps.ts';
import { partsOf } from './parts.ts';
import { seededRandom } from '../math/random.ts';

/** A grid of nothing (−1), but for what is filled in. */
class Field {
  readonly d: Float64Array;
  constructor(readonly n: readonly [number, number, number]) {
    this.d = new Float64Array(n[0] * n[1] * n[2]).fill(-1);
  }
  put(x: number, y: number, z: number, value: number): this {
    this.d[(x * this.n[1] + y) * this.n[2] + z] = value;
    return this;
  }
  parts(probe = 0) {
    return partsOf(this.d, new Places(this.n), probe, 99);
  }
}

describe('what hangs together on a grid', () => {
  it('is told apart, each with its emptiest point', () => {
    const { parts, of } = new Field([9, 9, 9]).put(2, 2, 2, 1).put(2, 2, 3, 2).put(6, 6, 6, 3).parts();
    expect(parts.map((p) => p.best).sort((a, b) => a - b)).toEqual([(2 * 9 + 2) * 9 + 3, (6 * 9 + 6) * 9 + 6]);
    expect(parts.every((p) => p.lattice === undefined && p.window === undefined)).toBe(true);
    expect(of[(2 * 9 + 2) * 9 + 2]).toBe(of[(2 * 9 + 2) * 9 + 3]);
    expect(of[0]).toBe(-1);
  });

  it('that leads around the cell is a channel, with its narrowest place', () => {
    const field = new Field([8, 9, 9]);
    for (let x = 0; x < 8; x++) field.put(x, 4, 4, x === 3 ? 0.5 : 2 + 0.1 * x);
    const [part] = field.parts().parts;
    expect(part!.lattice!.rank).toBe(1);
    expect(part!.lattice!.basis).toEqual([[1, 0, 0]]);
    expect(part!.window).toMatchObject({ at: (3 * 9 + 4) * 9 + 4, d: 0.5 });
  });

  it('a channel along a diagonal goes through corners of the grid', () => {
    const field = new Field([6, 6, 6]);
    for (let i = 0; i < 6; i++) field.put(i, i, i, 1 + 0.01 * i);
    expect(field.parts().parts[0]!.lattice!.basis).toEqual([[1, 1, 1]]);
  });

  it('two channels that cross are a layer, and a third through them goes everywhere', () => {
    const field = new Field([7, 7, 7]);
    for (let i = 0; i < 7; i++) field.put(i, 3, 3, 2).put(3, i, 3, 2);
    expect(field.parts().parts[0]!.lattice!.rank).toBe(2);
    for (let i = 0; i < 7; i++) field.put(3, 3, i, 1);
    const [part] = field.parts().parts;
    expect(part!.lattice!.rank).toBe(3);
    // The first way that opened is the widest.
    expect(part!.window!.d).toBe(2);
  });

  it('for a larger probe, breaks up at its narrows', () => {
    const field = new Field([8, 9, 9]);
    for (let x = 0; x < 8; x++) field.put(x, 4, 4, x === 3 ? 0.5 : 2);
    expect(field.parts(1).parts[0]!.lattice).toBeUndefined();
  });

  it('is the same from wherever the cell begins', () => {
    const random = seededRandom(4);
    const n = [6, 7, 5] as const;
    const values = Array.from({ length: n[0] * n[1] * n[2] }, () => random.next());
    const ranks = [0, 1, 2].map((shift) => {
      const field = new Field(n);
      for (let x = 0; x < n[0]; x++)
        for (let y = 0; y < n[1]; y++)
          for (let z = 0; z < n[2]; z++)
            field.put(
              (x + shift) % n[0],
              (y + 2 * shift) % n[1],
              (z + shift) % n[2],
              values[(x * n[1] + y) * n[2] + z]!,
            );
      return field
        .parts(0.7)
        .parts.map((p) => `${p.lattice?.rank ?? 0} ${p.window?.d.toFixed(6) ?? ''}`)
        .sort();
    });
    expect(ranks[1]).toEqual(ranks[0]);
    expect(ranks[2]).toEqual(ranks[0]);
  });
});
